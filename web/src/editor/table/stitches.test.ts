import { expect, it } from "vitest";
import { TableCamera } from "../camera/TableCamera";
import { LayoutModel } from "../layout/LayoutModel";
import { TableMap } from "./TableMap";
import { drawLabels, inView } from "./stitches";

const model = new LayoutModel(
  {
    count: 1,
    corners: new Float32Array([0, 0, 1, 0, 0, 1, 0, 0, 0.1, 0, 0, 0.1]),
    triangleIsland: new Int32Array([0, 0]),
    edges: new Float32Array([0, 0, 1, 0, 1, 0, 0, 1, 0, 1, 0, 0]),
    edgeIsland: new Int32Array([0, 0, 0]),
  },
  new Float32Array([1, 0, 0, 0, 1, 0]),
  new TableMap([{ number: 1001, width: 64, height: 64, label: "", frozen: false }]),
);

it("anchors a label in the middle of the largest triangle", () => {
  expect(Array.from(model.anchors)).toEqual([expect.closeTo(1 / 3), expect.closeTo(1 / 3)]);
});

it("knows what can be seen", () => {
  const camera = new TableCamera();
  expect(inView(camera, model.bounds[0])).toBe(true);
  camera.x = 50;
  expect(inView(camera, model.bounds[0])).toBe(false);
});

it("prints a label only where there is room", () => {
  const printed: string[] = [];
  const ctx = {
    strokeText: () => undefined,
    fillText: (text: string) => printed.push(text),
  } as unknown as CanvasRenderingContext2D;
  const palette = { paper: "", ink: "", soft: "", line: "", shadow: "", halo: "" };
  const camera = new TableCamera();
  drawLabels(ctx, camera, model, model.anchors, () => "LA·1", palette);
  camera.scale = 5;
  drawLabels(ctx, camera, model, model.anchors, () => "LA·1", palette);
  expect(printed).toEqual(["LA·1"]);
});
