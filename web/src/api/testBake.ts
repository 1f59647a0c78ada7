import type { Atlas, Finding, Job, Report, Rules } from "./client";

/** A map of a test bake. */
export type BakedMap = {
  file: string;
  map: string;
  tile: number;
  width: number;
  height: number;
  bits: number;
  figures: MapFigures;
};

type MapFigures = {
  covered?: number;
  missed?: number;
  mean?: number;
  histogram?: number[];
  black?: number;
  white?: number;
  range_m?: number;
  radius_m?: number;
};

/** What a test bake gave. */
export type TestBaked = {
  revision: number;
  notes: string[];
  whole: boolean;
  own_space: boolean;
  asked: string[];
  pairs: { low: string[]; high: string[] }[];
  outward: number;
  inward: number;
  findings: Finding[];
  difference: { tile: number; median: number; at_99: number; most: number; darkest: number }[];
  fine: string;
  fine_triangles: number;
  painted: number[];
  seams: { map: string; median: number; high: number; unit: string; length: number }[];
  maps: BakedMap[];
};

/** What maps are called. */
export const MAPS: Record<string, string> = {
  normal: "normal",
  occlusion: "occlusion",
  curvature: "curvature",
  thickness: "thickness",
  height: "height",
  position: "position",
  id: "ids",
  colour: "colour",
  objectNormal: "object-space normal",
};

/** What a map is called, and what else is shown as one. */
export const mapName = (map: string) => (map === "difference" ? "difference" : (MAPS[map] ?? map));

/** The last test bake of an atlas that is done, or the coarse images of one at work. */
export function lastTestBake(
  jobs: Job[],
  atlas: Atlas,
): { job: Job; maps: BakedMap[]; baked: TestBaked | null } | null {
  const mine = jobs.filter((one) => one.kind === "bake" && one.atlas === atlas.id);
  const running = mine.find((one) => one.state === "running");
  const coarse = (running?.figures as { maps?: BakedMap[] } | null)?.maps;
  if (running && coarse?.length) return { job: running, maps: coarse, baked: null };
  const done = mine.find((one) => one.state === "done");
  return done
    ? {
        job: done,
        maps: (done.result as unknown as TestBaked).maps,
        baked: done.result as unknown as TestBaked,
      }
    : null;
}

const RANK = ["error", "warning", "hint"];

/**
 * A report with what a test bake of the same layout has found, by the project's rules: their
 * severities, and what is ignored.
 */
export function withTestBake(
  report: Report,
  last: TestBaked | null,
  revision: number,
  rules?: Pick<Rules, "kinds" | "ignored">,
): Report {
  if (!last || last.revision !== revision || !last.findings.length) return report;
  const severity = new Map(rules?.kinds.map((row) => [row.kind, row.severity]));
  const reasons = new Map(rules?.ignored.map((row) => [row.finding, row.reason]));
  const own = last.findings
    .map(
      (finding) =>
        ({
          ...finding,
          severity: severity.get(finding.kind) ?? finding.severity,
          ignored: reasons.get(finding.key) ?? finding.ignored,
        }) as Finding,
    )
    .filter((finding) => RANK.includes(finding.severity));
  const totals = { ...(report.totals as Record<string, number>) };
  for (const finding of own)
    if (!finding.ignored) totals[finding.kind] = (totals[finding.kind] ?? 0) + 1;
  const findings = [...report.findings, ...own].sort(
    (a, b) => RANK.indexOf(a.severity) - RANK.indexOf(b.severity),
  );
  return { ...report, findings, totals };
}
