import type { Finding, Report } from "../../api/client";

export type Severity = "error" | "warning" | "hint";

export type Group = {
  kind: string;
  severity: Severity;
  findings: Finding[];
  total: number;
  ignored: number;
};

/** Findings by kind, errors first; kinds whose findings are all ignored come last. */
export function groups(report: Report): Group[] {
  const byKind = new Map<string, Finding[]>();
  for (const finding of report.findings)
    byKind.set(finding.kind, [...(byKind.get(finding.kind) ?? []), finding]);
  return [...byKind].map(([kind, findings]) => ({
    kind,
    severity: findings[0].severity as Severity,
    findings: [...findings.filter((f) => !f.ignored), ...findings.filter((f) => f.ignored)],
    total: report.totals[kind] ?? 0,
    ignored: findings.filter((f) => f.ignored).length,
  }));
}

/** The finding after (or before) the present one, going round; the first where there is no present one. */
export function nextFinding(
  findings: Finding[],
  present: Finding | null,
  step: 1 | -1,
): Finding | null {
  if (!findings.length) return null;
  const at = present ? findings.findIndex((f) => f.key === present.key) : -1;
  if (at < 0) return findings[step > 0 ? 0 : findings.length - 1];
  return findings[(at + step + findings.length) % findings.length];
}

/** After a fix the finding may be gone: its place in the list is taken by the one behind it. */
export function afterFix(before: Finding[], present: Finding, now: Finding[]): Finding | null {
  const same = now.find((f) => f.key === present.key);
  if (same) return same;
  const behind = before.slice(before.findIndex((f) => f.key === present.key) + 1);
  for (const finding of behind) {
    const still = now.find((f) => f.key === finding.key);
    if (still) return still;
  }
  return now[0] ?? null;
}

/** Who a finding is about, in words. */
export function place(finding: Finding): string {
  const named = (object: string, island: number) => object + (island ? ` · island ${island}` : "");
  const one = named(finding.object, finding.island);
  if (finding.islands.length > 2) return `${finding.islands.length} islands, among them ${one}`;
  if (!finding.other_object) return one || "the whole layout";
  if (finding.other_object !== finding.object)
    return `${one} and ${named(finding.other_object, finding.other_island)}`;
  return finding.other_island === finding.island
    ? one
    : `${finding.object} · islands ${finding.island} and ${finding.other_island}`;
}

/** Islands that the findings of a group are about, each counted once. */
export function islandsOf(group: Group): number {
  return new Set(group.findings.filter((f) => !f.ignored).flatMap((f) => f.islands)).size;
}

/** Errors and warnings on some islands, or on the object as a whole, in words. */
export function findingsOf(report: Report, islands: Set<number>, object: string): string {
  const counts = new Map<string, number>();
  for (const f of report.findings) {
    const mine = f.islands.length ? f.islands.some((i) => islands.has(i)) : f.object === object;
    if (mine && !f.ignored && f.severity !== "hint")
      counts.set(f.kind, (counts.get(f.kind) ?? 0) + 1);
  }
  return [...counts].map(([kind, n]) => `${n} ${kind}`).join(", ");
}
