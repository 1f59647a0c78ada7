import { describe, expect, it } from "vitest";
import type { Atlas, Job } from "./client";
import { toGive, type Needs } from "./detail";
import { lastAnswer } from "./lastAnswer";

const island = (number: number, weight: number, area_m2: number) => ({
  number,
  weight,
  area_m2,
  painted: 256,
  needed: 256 * weight,
  role: "baseColor",
});
const needs: Needs = {
  islands: [island(0, 1, 4), island(1, 0.5, 1), island(2, 0.5, 3)],
  painted_texels: 8,
  even_texels: 8,
  needed_texels: 5,
  saved: 0.375,
};
const atlas = { id: 3 } as unknown as Atlas;

describe("weights by detail", () => {
  it("are proposed where they are not given yet, what frees most first", () => {
    expect(toGive(needs, () => 1).map((one) => one.number)).toEqual([2, 1]);
    expect(toGive(needs, (k) => [1, 0.5, 0.500001][k]).map((one) => one.number)).toEqual([]);
  });
  it("are of the islands that are there now", () => {
    const result = { members: [[1, 3]], atlases: [needs] };
    const job = { kind: "detail", state: "done", atlas: 3, result } as unknown as Job;
    expect(lastAnswer("detail", [job], atlas, [{ id: 1, islands: 3 }])).toBe(needs);
    expect(lastAnswer("detail", [job], atlas, [{ id: 1, islands: 2 }])).toBeNull();
    expect(lastAnswer("visibility", [job], atlas, [{ id: 1, islands: 3 }])).toBeNull();
  });
});
