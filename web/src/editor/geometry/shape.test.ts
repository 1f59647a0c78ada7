import { expect, it } from "vitest";
import { crosses, inShape, thinned } from "./shape";
import { crookedBy, longestDirection, toAxis } from "./upright";

const L = [0, 0, 4, 0, 4, 1, 1, 1, 1, 4, 0, 4];

it("knows inside from outside, also in a corner that points inward", () => {
  expect([inShape(0.5, 3, L), inShape(3, 0.5, L), inShape(3, 3, L), inShape(-1, 0.5, L)]).toEqual([
    true,
    true,
    false,
    false,
  ]);
});

it("sees what crosses a side", () => {
  expect(crosses(2, 0.5, 2, 3, L)).toBe(true);
  expect(crosses(2, 0.2, 3, 0.8, L)).toBe(false);
});

it("leaves out points that lie close together", () => {
  expect(thinned([0, 0, 0.1, 0, 0.2, 0, 1, 0, 1, 0.05], 0.5)).toEqual([0, 0, 1, 0]);
});

/** A rectangle turned by some degrees, as edges. */
function box(w: number, h: number, degrees: number): number[] {
  const a = (degrees * Math.PI) / 180;
  const at = (x: number, y: number) => [
    x * Math.cos(a) - y * Math.sin(a),
    x * Math.sin(a) + y * Math.cos(a),
  ];
  const c = [at(0, 0), at(w, 0), at(w, h), at(0, h)];
  return c.flatMap((p, k) => [...p, ...c[(k + 1) % 4]]);
}

it("finds the turn that makes a crooked rectangle upright", () => {
  for (const degrees of [-40, -10, 3, 20, 44, 70, 100]) {
    const turn = (toAxis(longestDirection(box(3, 1, degrees))!) * 180) / Math.PI;
    expect(Math.abs(turn)).toBeLessThanOrEqual(45);
    expect(Math.abs(((degrees + turn + 720) % 90) - 0) % 90).toBeCloseTo(0, 6);
    expect((crookedBy(box(3, 1, degrees))! * 180) / Math.PI).toBeCloseTo(-turn, 6);
  }
});

it("has no direction for a circle, and none without edges", () => {
  const ring = Array.from({ length: 36 }, (_, k) => [
    Math.cos((k * Math.PI) / 18),
    Math.sin((k * Math.PI) / 18),
  ]);
  expect(crookedBy(ring.flatMap((p, k) => [...p, ...ring[(k + 1) % 36]]))).toBeNull();
  expect([longestDirection([]), crookedBy([])]).toEqual([null, null]);
});

it("counts edges in one line together", () => {
  // Two halves of a side of 2, and a side of 1.5 at another angle.
  expect(longestDirection([0, 0, 1, 0, 1, 0, 2, 0, 0, 0, 1.06, 1.06])).toBe(0);
});
