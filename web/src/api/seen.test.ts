import { describe, expect, it } from "vitest";
import type { Atlas, Job } from "./client";
import { lastLook, open, type LookedAround } from "./seen";

const atlas = { id: 3 } as unknown as Atlas;
const look = { objects: [[1, 2], [4, 1]], proposals: [{ island: 0, weight: 0.1, kind: "never", text: "" }, { island: 2, weight: 0.5, kind: "below", text: "" }] } as unknown as LookedAround;
const job = { kind: "look around", state: "done", atlas: 3, result: look } as unknown as Job;

describe("a look from around", () => {
  it("counts as long as the islands are the same", () => {
    expect(lastLook([job], atlas, [{ id: 1, islands: 2 }, { id: 4, islands: 1 }])).toBe(look);
    expect(lastLook([job], atlas, [{ id: 1, islands: 3 }, { id: 4, islands: 1 }])).toBeNull();
    expect(lastLook([job], atlas, [{ id: 1, islands: 2 }])).toBeNull();
    expect(lastLook([], atlas, [])).toBeNull();
  });
  it("proposes what was not accepted yet", () => {
    expect([...open(look, () => 1).keys()]).toEqual(["never", "below"]);
    expect([...open(look, (island) => (island === 0 ? 0.1 : 1)).keys()]).toEqual(["below"]);
  });
});
