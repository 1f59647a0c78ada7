import { describe, expect, it } from "vitest";
import type { PlanObject } from "../../api/client";
import { asNow, by, kept, kindOf, moved, sizeFor } from "./groups";

const object = (id: number, painted: number, ...kinds: string[]): PlanObject => ({
  id,
  name: `o${id}`,
  atlas: id < 3 ? 1 : 2,
  parted: false,
  painted,
  repeats: false,
  materials: [],
  kinds,
});
const objects = [object(1, 1e5, "opaque"), object(2, 2e6, "opaque"), object(3, 10, "see-through")];
const now = asNow(objects, [
  { id: 1, name: "One", size: 2048 },
  { id: 2, name: "Two", size: 512 },
]);

describe("groups of a plan", () => {
  it("begin as the objects lie", () => {
    expect(now.map((group) => group.objects)).toEqual([[1, 2], [3]]);
  });
  it("are made by a word, the largest in the first atlas", () => {
    const made = by(objects, now[0], kindOf);
    expect(made.map((group) => [group.atlas, group.name, group.objects])).toEqual([
      [1, "One", [1, 2]],
      [0, "See-through", [3]],
    ]);
    expect(made[0].size).toBe(2048);
  });
  it("let an object go to another one, and stay what they are else", () => {
    const after = moved(now, 2, "a2");
    expect(after.map((group) => group.objects)).toEqual([[1], [3, 2]]);
    expect(moved(now, 3, "a2")).toEqual(now);
  });
  it("tell what is kept, by the share that is filled", () => {
    // 0.5 of 1024² texels for twice as many: by sqrt(1/2).
    expect(kept(1024 * 1024, 1024, 0.5)).toBeCloseTo(Math.SQRT1_2);
    expect(kept(10, 1024, 0.5)).toBe(1);
    expect(kept(10, 1024, null)).toBeNull();
    expect(sizeFor(0.69 * 512 * 512)).toBe(512);
    expect(sizeFor(1e12)).toBe(8192);
  });
});
