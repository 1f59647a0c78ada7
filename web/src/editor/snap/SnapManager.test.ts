import { expect, it } from "vitest";
import { moving } from "../geometry/transform";
import { LayoutModel } from "../layout/LayoutModel";
import { Outlines } from "../spatial/Outlines";
import { squares } from "../spatial/squares";
import { TableMap } from "../table/TableMap";
import { SnapManager, SNAPS, type Room } from "./SnapManager";

const map = new TableMap([{ number: 1001, width: 1000, height: 1000, label: "", frozen: false }]);
const model = new LayoutModel(
  ...squares([
    [0.1, 0.1, 0.1],
    [0.5, 0.113, 0.2],
  ]),
  map,
);
const group = new Outlines(model, [0]);
const room: Room = {
  sheet: map.sheet(1001),
  boxes: [model.bounds[1]],
  padding: 0.008,
  margin: 0.004,
  texel: 0.001,
};
const reach = 0.01;

const only = (...kinds: (typeof SNAPS)[number][]) => {
  const snap = new SnapManager();
  SNAPS.filter((kind) => kinds.includes(kind) !== snap.isOn(kind)).forEach((kind) =>
    snap.toggle(kind),
  );
  return snap;
};

it("stops at exactly the padding from a neighbour, and says so", () => {
  const found = only("padding").snap(group, 0.295, 0.05, room, reach, false);
  expect(found.by).toEqual(["padding"]);
  expect(found.nearest!.distance).toBeCloseTo(room.padding, 8);
  expect(group.nearest(moving(found.dx, found.dy), 1)!.distance).toBeCloseTo(room.padding, 8);
});

it("stops at the margin of the tile, in both directions", () => {
  const found = only("margin").snap(group, -0.093, -0.1, room, reach, false);
  expect([found.dx, found.dy]).toEqual([
    expect.closeTo(0.004 - 0.1, 8),
    expect.closeTo(0.004 - 0.1, 8),
  ]);
  expect(found.by).toEqual(["margin"]);
});

it("keeps edges flush and goes to the padding along them", () => {
  const found = only("padding", "edges").snap(group, 0.295, 0.01, room, reach, false);
  expect(found.by).toEqual(["edges", "padding"]);
  expect(0.1 + found.dy).toBeCloseTo(0.113, 7);
  expect(found.nearest!.distance).toBeCloseTo(room.padding, 8);
});

it("goes to whole texels where nothing else draws", () => {
  const found = only("texels").snap(group, 0.03333, 0.02, room, reach, false);
  expect((0.1 + found.dx) * 1000).toBeCloseTo(133, 4);
});

it("goes to a grid of 64 px where that is switched on", () => {
  const found = only("grid", "texels").snap(group, 0.101, 0.3, room, reach, false);
  expect(found.by).toEqual(["grid"]);
  expect([0.1 + found.dx, 0.1 + found.dy]).toEqual([
    expect.closeTo(0.192, 8),
    expect.closeTo(0.384, 8),
  ]);
  expect(new SnapManager().isOn("grid")).toBe(false);
});

it("does nothing when it is suspended, or when nothing is near", () => {
  const snap = new SnapManager();
  expect(snap.snap(group, 0.295, 0.05, room, reach, true)).toMatchObject({
    dx: 0.295,
    dy: 0.05,
    by: [],
  });
  expect(
    only("padding", "margin", "edges", "centres").snap(group, 0.1234, 0.25, room, 0.004, false),
  ).toMatchObject({ dx: 0.1234, dy: 0.25, by: [] });
});

it("leaves what is meant to lie on another one where it is", () => {
  const found = only("padding").snap(group, 0.45, 0.05, room, reach, false);
  expect(found).toMatchObject({ dx: 0.45, dy: 0.05, by: [] });
});
