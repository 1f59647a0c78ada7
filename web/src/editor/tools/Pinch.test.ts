import { expect, it } from "vitest";
import { TableCamera } from "../camera/TableCamera";
import { Pinch } from "./Pinch";

function setUp() {
  const camera = new TableCamera();
  camera.resize(800, 600);
  let drawn = 0;
  return { camera, pinch: new Pinch({ camera, drawn: () => drawn++ }), drawn: () => drawn };
}

it("leaves one finger to the tools", () => {
  const { pinch } = setUp();
  expect(pinch.down(1, 10, 10)).toBe(false);
  expect(pinch.move(1, 20, 10)).toBe(false);
  expect(pinch.up(1)).toBe(false);
});

it("sizes by the distance of two fingers, about their middle", () => {
  const { camera, pinch, drawn } = setUp();
  pinch.down(1, 350, 300);
  expect(pinch.down(2, 450, 300)).toBe(true);
  const [scale, under] = [camera.scale, camera.toTable(400, 300)];
  pinch.move(1, 300, 300);
  expect(pinch.move(2, 500, 300)).toBe(true);
  expect(camera.scale / scale).toBeCloseTo(2, 9);
  const now = camera.toTable(400, 300);
  expect(now[0]).toBeCloseTo(under[0], 9);
  expect(now[1]).toBeCloseTo(under[1], 9);
  expect(drawn()).toBe(2);
});

it("moves the view with both, and the tools rest until both are lifted", () => {
  const { camera, pinch } = setUp();
  pinch.down(1, 300, 300);
  pinch.down(2, 400, 300);
  const under = camera.toTable(350, 300);
  pinch.move(1, 310, 340);
  pinch.move(2, 410, 340);
  const now = camera.toTable(360, 340);
  expect(now[0]).toBeCloseTo(under[0], 9);
  expect(now[1]).toBeCloseTo(under[1], 9);
  expect(pinch.up(1)).toBe(true);
  expect(pinch.move(2, 500, 500)).toBe(true);
  expect(pinch.up(2)).toBe(true);
  expect(pinch.down(3, 10, 10)).toBe(false);
});
