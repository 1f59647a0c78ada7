import { expect, it } from "vitest";
import { TableCamera } from "./TableCamera";

it("goes to the screen and back", () => {
  const camera = new TableCamera();
  camera.resize(640, 480);
  const [sx, sy] = camera.toScreen(0.2, 0.9);
  const [x, y] = camera.toTable(sx, sy);
  expect(x).toBeCloseTo(0.2);
  expect(y).toBeCloseTo(0.9);
});

it("keeps the point under the pointer when zooming", () => {
  const camera = new TableCamera();
  const before = camera.toTable(100, 50);
  camera.zoomAt(100, 50, 3);
  const after = camera.toTable(100, 50);
  expect(after[0]).toBeCloseTo(before[0]);
  expect(after[1]).toBeCloseTo(before[1]);
});

it("frames bounds inside the view", () => {
  const camera = new TableCamera();
  camera.resize(400, 300);
  camera.frame({ minX: 0, minY: 0, maxX: 1, maxY: 1 }, 10, 20);
  const [left, bottom] = camera.toScreen(0, 0);
  const [right, top] = camera.toScreen(1, 1);
  expect(left).toBeGreaterThanOrEqual(0);
  expect(right).toBeLessThanOrEqual(400);
  expect(bottom).toBeLessThanOrEqual(290 + 1e-6);
  expect(top).toBeGreaterThanOrEqual(30 - 1e-6);
});

it("does not zoom beyond single texels", () => {
  const camera = new TableCamera();
  for (let i = 0; i < 100; i++) camera.zoomAt(0, 0, 4);
  expect(camera.scale).toBeLessThanOrEqual(64 * 2048);
});
