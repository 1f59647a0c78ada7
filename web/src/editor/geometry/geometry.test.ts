import { expect, it } from "vitest";
import { nearestOf } from "./distance";
import cases from "./distance.cases.json";
import {
  apply,
  areaFactor,
  compose,
  IDENTITY,
  inverse,
  moving,
  sizing,
  turning,
} from "./transform";

it("finds distances that the core finds", () => {
  for (const { a, b, distance } of cases) {
    expect(nearestOf(a, 0, b, 0, 1e9)!.distance).toBeCloseTo(distance, 12);
    const { x, y, u, v } = nearestOf(a, 0, b, 0, 1e9)!;
    expect(Math.hypot(x - u, y - v)).toBeCloseTo(distance, 9);
  }
  expect(nearestOf([0, 0, 1, 0], 0, [0, 3, 1, 3], 0, 3)).toBeNull();
});

it("composes and undoes transforms", () => {
  const by = compose(turning(0.7, [1, 2]), compose(sizing(2, 2, [0.5, 0.5]), moving(3, -1)));
  const [x, y] = apply(inverse(by), ...apply(by, 0.3, 0.4));
  expect([x, y]).toEqual([expect.closeTo(0.3, 12), expect.closeTo(0.4, 12)]);
  expect(areaFactor(by)).toBeCloseTo(4, 12);
  expect(areaFactor(sizing(-1, 1, [0, 0]))).toBe(-1);
  expect(compose(IDENTITY, by)).toEqual(by);
});

it("makes quarter turns exactly", () => {
  expect(turning(Math.PI / 2, [0, 0])).toEqual([0, -1, 0, 1, 0, 0]);
  expect(apply(turning(Math.PI, [2, 3]), 2, 4)).toEqual([2, 2]);
});
