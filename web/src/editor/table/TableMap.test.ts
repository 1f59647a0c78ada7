import { expect, it } from "vitest";
import { LayoutModel } from "../layout/LayoutModel";
import cases from "../rules.cases.json";
import { TableMap } from "./TableMap";
import type { TileRow } from "./tiles";

const tile = (number: number, width: number, height: number): TileRow => ({
  number,
  width,
  height,
  label: "",
  frozen: false,
});
const edges = new Float32Array([0.2, 0.2, 0.4, 0.4, 0.2, 0.2, 0.4, 0.4, 0.2, 0.2, 0.4, 0.4]);
const base = {
  count: 3,
  corners: new Float32Array(),
  triangleIsland: new Int32Array(),
  edges,
  edgeIsland: new Int32Array([0, 1, 2]),
};
const placements = new Float32Array([1, 0, 0, 0, 1, 0, 1, 0, 1, 0, 1, 1, 1, 0, -7, 0, 1, 0]);

it("gives every tile the proportions of its own tile", () => {
  const map = new TableMap([tile(1001, 2048, 2048), tile(1002, 1024, 512), tile(1011, 256, 512)]);
  expect(map.pitch).toEqual([1, 1]);
  expect(map.sheet(1001)).toEqual({ minX: 0, minY: 0, maxX: 1, maxY: 1 });
  expect(map.sheet(1002)).toEqual({ minX: 1, minY: 0, maxX: 2, maxY: 0.5 });
  expect(map.sheet(1011)).toEqual({ minX: 0, minY: 1, maxX: 0.5, maxY: 2 });
  expect(map.place(1.5, 0.5, 1002)).toEqual([1.5, 0.25]);
});

it("sets tiles of one shape side by side without a gap, and goes on in their proportions outside", () => {
  const map = new TableMap([tile(1001, 2048, 1024), tile(1002, 1024, 512)]);
  expect(map.pitch).toEqual([1, 0.5]);
  expect(map.sheet(1002)).toEqual({ minX: 1, minY: 0, maxX: 2, maxY: 0.5 });
  expect(map.place(-0.5, 0.5)).toEqual([-0.5, 0.25]);
});

it("tells the tile of each island, and its resolution and place for the shaders", () => {
  const map = new TableMap([tile(1001, 2048, 2048), tile(1012, 512, 1024)]);
  const { homes } = new LayoutModel(base, placements, map);
  expect([...homes]).toEqual([1001, 1012, 0]);
  expect([...map.cells(homes)]).toEqual([2048, 2048, 0, 0, 512, 1024, 1, 1, 2048, 2048, 0, 0]);
});

it("gives islands the homes that the core gives them", () => {
  const map = new TableMap(
    cases.tiles.map(([number, width, height]) => tile(number, width, height)),
  );
  const boxes = cases.homes.map(({ box }) => box);
  // Two outline edges that run from corner to corner span the box, whatever lies between.
  const outline = new Float32Array(boxes.flatMap(([a, b, c, d]) => [a, b, c, d, a, b, a, b]));
  const islands = Int32Array.from(boxes.flatMap((_, i) => [i, i]));
  const still = new Float32Array(boxes.flatMap(() => [1, 0, 0, 0, 1, 0]));
  const { homes } = new LayoutModel(
    { ...base, count: boxes.length, edges: outline, edgeIsland: islands },
    still,
    map,
  );
  expect([...homes]).toEqual(cases.homes.map(({ tile }) => tile));
});
