import { expect, it } from "vitest";
import type { Finding, Report } from "../../api/client";
import { afterFix, findingsOf, groups, nextFinding, place } from "./walk";

const finding = (kind: string, key: string, more: Partial<Finding> = {}): Finding => ({
  kind: kind as Finding["kind"],
  key,
  severity: "error",
  object: "Crate",
  island: 1,
  other_object: "",
  other_island: 0,
  amount: 1,
  unit: "px",
  text: "",
  islands: [0],
  spots: [],
  faces: [],
  other_faces: [],
  tile: 1001,
  fix: "",
  ignored: "",
  ...more,
});

const list = [
  finding("overlap", "a"),
  finding("overlap", "b", { ignored: "meant" }),
  finding("overlap", "c", { islands: [1] }),
  finding("mirrored", "d", { severity: "warning", islands: [1] }),
];
const report = { findings: list, totals: { overlap: 40, mirrored: 1 } } as unknown as Report;

it("groups by kind, the ignored ones last", () => {
  const [overlap, mirrored] = groups(report);
  expect(overlap.findings.map((f) => f.key)).toEqual(["a", "c", "b"]);
  expect([overlap.total, overlap.ignored, overlap.severity]).toEqual([40, 1, "error"]);
  expect(mirrored.severity).toBe("warning");
});

it("steps through a kind and goes round", () => {
  expect(nextFinding(list, null, 1)?.key).toBe("a");
  expect(nextFinding(list, null, -1)?.key).toBe("d");
  expect(nextFinding(list, list[3], 1)?.key).toBe("a");
  expect(nextFinding(list, list[0], -1)?.key).toBe("d");
  expect(nextFinding([], null, 1)).toBeNull();
});

it("stays in place after a fix", () => {
  expect(afterFix(list, list[1], [list[0], list[1]])?.key).toBe("b");
  expect(afterFix(list, list[1], [list[0], list[2]])?.key).toBe("c");
  expect(afterFix(list, list[3], [list[0]])?.key).toBe("a");
  expect(afterFix(list, list[3], [])).toBeNull();
});

it("says who it is about", () => {
  expect(place(list[0])).toBe("Crate · island 1");
  expect(place(finding("gap", "g", { other_object: "Rail", other_island: 4 }))).toBe(
    "Crate · island 1 and Rail · island 4",
  );
  expect(place(finding("gap", "g", { other_object: "Crate", other_island: 3 }))).toBe(
    "Crate · islands 1 and 3",
  );
  expect(place(finding("crowded", "x", { object: "", island: 0 }))).toBe("the whole layout");
});

it("counts errors and warnings of a row of the object list", () => {
  expect(findingsOf(report, new Set([0, 1]), "Crate")).toBe("2 overlap, 1 mirrored");
  expect(findingsOf(report, new Set([0]), "")).toBe("1 overlap");
  const bare = {
    findings: [
      finding("without UVs", "u", { islands: [] }),
      finding("smooth border", "s", { islands: [], severity: "hint" }),
    ],
  } as unknown as Report;
  expect(findingsOf(bare, new Set(), "Crate")).toBe("1 without UVs");
});
