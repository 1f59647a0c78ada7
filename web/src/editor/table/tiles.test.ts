import { expect, it } from "vitest";
import { gridOf, nextTile, tileCorner, tileNumber, numberedSet, tileOfName } from "./tiles";

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

it("makes a grid in one step: ten columns and two rows end at 1020", () => {
  const old = { number: 1002, width: 512, height: 256, label: "floor", frozen: true };
  const made = gridOf([old, { ...old, number: 1050 }], 10, 2, 1024);
  expect(made.map((tile) => tile.number)).toEqual(Array.from({ length: 20 }, (_, k) => 1001 + k));
  expect(made[1]).toEqual({
    number: 1002,
    width: 1024,
    height: 1024,
    label: "floor",
    frozen: true,
  });
  expect(made[2]).toMatchObject({ label: "", frozen: false });
  expect(made[19].number).toBe(tileNumber(9, 1));
  expect(gridOf([old], 2, 1, 512, " wall {tile} ").map((tile) => tile.label)).toEqual([
    "wall 1001",
    "wall 1002",
  ]);
});

it("finds the tiles of a numbered set (common practice: the number stands before the ending)", () => {
  const set = (...names: string[]) => names.map((name) => ({ name }));
  const tiles = [{ number: 1001 }, { number: 1002 }];
  expect(numberedSet(set("rust.1001.png", "rust.1002.png"), tiles)?.laid.map(([n]) => n)).toEqual([
    1001, 1002,
  ]);
  const found = numberedSet(set("rust_1002.exr", "rust_1011.exr"), tiles)!;
  expect(found.laid.map(([n]) => n)).toEqual([1002]);
  expect(found.rest.map((file) => file.name)).toEqual(["rust_1011.exr"]);
  expect(numberedSet(set("rust.1001.png", "rust.png"), tiles)).toBeNull();
  expect(numberedSet(set("a.1001.png", "b.1001.png"), tiles)).toBeNull();
  expect(tileOfName("photo1001.png")).toBeNull();
  expect(tileOfName("rust.1199.png")).toBeNull();
});
