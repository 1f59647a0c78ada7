import { expect, it } from "vitest";
import { nextTile, tileCorner } from "./tiles";

it("knows where a tile lies: 1001 + column + 10 x row", () => {
  expect(tileCorner(1001)).toEqual([0, 0]);
  expect(tileCorner(1010)).toEqual([9, 0]);
  expect(tileCorner(1011)).toEqual([0, 1]);
  expect(tileCorner(1025)).toEqual([4, 2]);
});

it("adds tiles along the row, then up", () => {
  expect(nextTile([1001, 1002])).toBe(1003);
  expect(nextTile([1002])).toBe(1001);
  expect(nextTile(Array.from({ length: 10 }, (_, i) => 1001 + i))).toBe(1011);
});
