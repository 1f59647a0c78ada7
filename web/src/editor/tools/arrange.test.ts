import { expect, it } from "vitest";
import type { Bounds } from "../affine/affine";
import { boundsAfter } from "../spatial/Outlines";
import { aligned, inRow, swapped } from "./arrange";

const boxes: Bounds[] = [
  { minX: 0.5, minY: 0, maxX: 0.7, maxY: 0.1 },
  { minX: 0.1, minY: 0.3, maxX: 0.2, maxY: 0.6 },
  { minX: 0.3, minY: 0.2, maxX: 0.9, maxY: 0.4 },
];
const after = (by: ReturnType<typeof aligned>) => boxes.map((b, k) => boundsAfter(b, by[k]));

it("brings edges and middles in line", () => {
  expect(after(aligned(boxes, "left")).map((b) => b.minX)).toEqual(
    [0.1, 0.1, 0.1].map((v) => expect.closeTo(v)),
  );
  expect(after(aligned(boxes, "top")).map((b) => b.maxY)).toEqual(
    [0.6, 0.6, 0.6].map((v) => expect.closeTo(v)),
  );
  expect(after(aligned(boxes, "middle across")).map((b) => b.minX + b.maxX)).toEqual(
    [1, 1, 1].map((v) => expect.closeTo(v)),
  );
  expect(after(aligned(boxes, "bottom")).map((b) => b.minX)).toEqual(
    boxes.map((b) => expect.closeTo(b.minX)),
  );
});

it("puts boxes in a row at a distance, in the order in which they lie", () => {
  const row = after(inRow(boxes, "across", 0.01));
  expect([row[1].minX, row[2].minX, row[0].minX]).toEqual(
    [0.1, 0.21, 0.82].map((v) => expect.closeTo(v)),
  );
  expect(row.map((b) => b.minY)).toEqual(boxes.map((b) => expect.closeTo(b.minY)));
  expect(inRow([], "up", 1)).toEqual([]);
});

it("swaps two places", () => {
  const [a, b] = [boxes[0], boxes[1]];
  const [one, two] = swapped([a, b]);
  expect(boundsAfter(a, one).minX + boundsAfter(a, one).maxX).toBeCloseTo(b.minX + b.maxX);
  expect(boundsAfter(b, two).minY + boundsAfter(b, two).maxY).toBeCloseTo(a.minY + a.maxY);
});
