import { describe, expect, it } from "vitest";
import type { Atlas, Job } from "./client";
import { lastLook, open } from "./visibility";

const atlas = { id: 3 } as unknown as Atlas;
const island = (number: number, share: number, weight: number, kind: string) => ({
  number,
  share,
  screen_px_per_texel: 2,
  weight,
  why: "",
  kind,
});
const told = {
  members: [
    [1, 2],
    [4, 1],
  ],
  atlases: [
    {
      islands: [island(0, 0, 0.1, "never"), island(1, 0.8, 1, ""), island(2, 0.4, 0.5, "below")],
      count: 3,
      stacks: [],
      freed: 0.2,
    },
  ],
};
const job = { kind: "visibility", state: "done", atlas: 3, result: told } as unknown as Job;
const objects = [
  { id: 1, islands: 2 },
  { id: 4, islands: 1 },
];

describe("a look from around", () => {
  it("counts as long as the islands are the same", () => {
    expect(lastLook([job], atlas, objects)).toMatchObject({
      share: [0, 0.8, 0.4],
      screen: [2, 2, 2],
      freed: 0.2,
    });
    expect(
      lastLook([job], atlas, [
        { id: 1, islands: 3 },
        { id: 4, islands: 1 },
      ]),
    ).toBeNull();
    expect(lastLook([job], atlas, [{ id: 1, islands: 2 }])).toBeNull();
    expect(lastLook([], atlas, [])).toBeNull();
  });
  it("proposes what was not accepted yet", () => {
    const look = lastLook([job], atlas, objects)!;
    expect([...open(look, () => 1).keys()]).toEqual(["never", "below"]);
    expect([...open(look, (number) => (number === 0 ? 0.1 : 1)).keys()]).toEqual(["below"]);
  });
});
