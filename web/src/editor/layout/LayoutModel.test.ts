import { describe, expect, it } from "vitest";
import { TableMap } from "../table/TableMap";
import { LayoutModel } from "./LayoutModel";
import type { BaseLayout } from "./BaseLayout";

const mapOf = (width: number, height: number) =>
  new TableMap([{ number: 1001, width, height, label: "", frozen: false }]);

const square = (x: number, size: number) => [
  x,
  0,
  x + size,
  0,
  x + size,
  size,
  x,
  0,
  x + size,
  size,
  x,
  size,
];
const outline = (x: number, s: number) => [
  x,
  0,
  x + s,
  0,
  x + s,
  0,
  x + s,
  s,
  x + s,
  s,
  x,
  s,
  x,
  s,
  x,
  0,
];

const base: BaseLayout = {
  count: 2,
  corners: new Float32Array([...square(0, 0.5), ...square(0, 0.25)]),
  triangleIsland: new Int32Array([0, 0, 1, 1]),
  edges: new Float32Array([...outline(0, 0.5), ...outline(0, 0.25)]),
  edgeIsland: new Int32Array([0, 0, 0, 0, 1, 1, 1, 1]),
};
const still = new Float32Array([1, 0, 0, 0, 1, 0, 1, 0, 0, 0, 1, 0]);

describe("LayoutModel", () => {
  it("finds the smallest island under the pointer", () => {
    const model = new LayoutModel(base, still, mapOf(1024, 1024));
    expect(model.islandAt(0.1, 0.1)).toBe(1);
    expect(model.islandAt(0.4, 0.4)).toBe(0);
    expect(model.islandAt(0.9, 0.9)).toBe(-1);
  });

  it("follows placements and the shape of the tile", () => {
    const moved = still.slice();
    moved[2] = 0.5;
    const model = new LayoutModel(base, moved, mapOf(1024, 512));
    expect(model.bounds[0]).toEqual({ minX: 0.5, minY: 0, maxX: 1, maxY: 0.25 });
    expect(model.islandAt(0.9, 0.2)).toBe(0);
  });

  it("selects with a box and joins edges to one ring", () => {
    const model = new LayoutModel(base, still, mapOf(1024, 1024));
    expect(model.islandsIn({ minX: 0.3, minY: 0.3, maxX: 1, maxY: 1 })).toEqual([0]);
    expect(model.rings(0)).toHaveLength(1);
    expect(model.rings(0)[0]).toHaveLength(10);
  });
});
