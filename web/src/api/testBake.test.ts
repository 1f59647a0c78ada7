import { describe, expect, it } from "vitest";
import type { Atlas, Finding, Job, Report } from "./client";
import { lastTestBake, withTestBake, type TestBaked } from "./testBake";

const atlas = { id: 3, head: { id: 7 } } as unknown as Atlas;
const finding = (kind: string): Finding =>
  ({
    key: kind,
    kind,
    severity: "warning",
    object: "a",
    island: 1,
    islands: [0],
    spots: [],
  }) as unknown as Finding;
const job = (id: number, state: string, more: object): Job =>
  ({ id, kind: "bake", atlas: 3, state, figures: null, result: {}, ...more }) as unknown as Job;

describe("a testBake", () => {
  it("shows the coarse textures of one at work, else the last that is done", () => {
    const done = job(1, "done", { result: { maps: [{ file: "n.png" }], findings: [] } });
    const early = job(2, "running", {});
    const coarse = job(3, "running", { figures: { maps: [{ file: "q.png" }] } });
    expect(lastTestBake([], atlas)).toBeNull();
    expect(lastTestBake([early, done], atlas)?.job.id).toBe(1);
    expect(lastTestBake([coarse, done], atlas)?.maps[0].file).toBe("q.png");
    expect(lastTestBake([job(4, "done", { atlas: 9, result: { maps: [] } })], atlas)).toBeNull();
  });
  it("adds to what was checked, for the same layout only", () => {
    const report = { findings: [finding("gap")], totals: { gap: 1 } } as unknown as Report;
    const last = {
      revision: 7,
      findings: [finding("bled"), finding("bled"), finding("gap")],
    } as unknown as TestBaked;
    expect(withTestBake(report, last, 7).totals).toEqual({ gap: 2, bled: 2 });
    const rules = {
      kinds: [
        { kind: "bled", severity: "error" },
        { kind: "gap", severity: "off" },
      ],
      ignored: [],
    } as never;
    expect(withTestBake(report, last, 7, rules).findings.map((one) => one.severity)).toEqual([
      "error",
      "error",
      "warning",
    ]);
    const ignored = { kinds: [], ignored: [{ finding: "bled", reason: "far away" }] } as never;
    expect(withTestBake(report, last, 7, ignored).totals).toEqual({ gap: 2 });
    expect(withTestBake(report, last, 8)).toBe(report);
    expect(withTestBake(report, null, 7)).toBe(report);
  });
});
