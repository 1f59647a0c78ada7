import { expect, it } from "vitest";
import { meets, type Bounds } from "../affine/affine";
import { moving } from "../geometry/transform";
import { LayoutModel } from "../layout/LayoutModel";
import { TableMap } from "../table/TableMap";
import { Outlines } from "./Outlines";
import { SpatialIndex } from "./SpatialIndex";
import { squares } from "./squares";

const map = new TableMap([{ number: 1001, width: 1000, height: 1000, label: "", frozen: false }]);

it("names the boxes that looking at all of them names", () => {
  let seed = 5;
  const random = () => (seed = (seed * 16807) % 2147483647) / 2147483647;
  const box = (size: number): Bounds => {
    const [x, y] = [random() * 4 - 1, random() * 4 - 1];
    return { minX: x, minY: y, maxX: x + random() * size, maxY: y + random() * size };
  };
  const boxes = [
    ...Array.from({ length: 300 }, () => box(0.1)),
    ...Array.from({ length: 5 }, () => box(3)),
    { minX: Infinity, minY: Infinity, maxX: -Infinity, maxY: -Infinity },
  ];
  const index = new SpatialIndex(boxes);
  for (let k = 0; k < 50; k++) {
    const asked = box(k % 5 ? 0.2 : 8);
    expect(index.meeting(asked).sort((a, b) => a - b)).toEqual(
      boxes.flatMap((b, i) => (meets(b, asked) ? [i] : [])),
    );
  }
});

it("finds what is nearest to a group, wherever it is moved, and never the group itself", () => {
  const model = new LayoutModel(
    ...squares([
      [0, 0, 0.1],
      [0.3, 0, 0.1],
      [0, 0.5, 0.2],
    ]),
    map,
  );
  const group = new Outlines(model, [0]);
  expect(group.nearest(moving(0, 0), 1)).toMatchObject({
    island: 1,
    distance: expect.closeTo(0.2, 6),
  });
  expect(group.nearest(moving(0, 0.35), 1)).toMatchObject({
    island: 2,
    distance: expect.closeTo(0.05, 6),
  });
  expect(group.nearest(moving(0, 0), 0.1)).toBeNull();
  expect(new Outlines(model, [0, 1]).nearest(moving(0, 0), 1)!.island).toBe(2);
});

it("knows what a group would lie on: crossing it, inside it, or round it", () => {
  const model = new LayoutModel(
    ...squares([
      [0, 0, 0.1],
      [0.3, 0, 0.4],
      [0.34, 0.5, 0.02],
    ]),
    map,
  );
  expect(new Outlines(model, [0]).overlapped(moving(0, 0))).toEqual([]);
  expect(new Outlines(model, [0]).overlapped(moving(0.25, 0))).toEqual([1]);
  expect(new Outlines(model, [0]).overlapped(moving(0.4, 0.1))).toEqual([1]);
  expect(new Outlines(model, [1]).overlapped(moving(0, 0.4))).toEqual([2]);
});
