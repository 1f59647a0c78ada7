import type { Finding, Report } from "../../api/client";
import { Signal, type Heard } from "../signal";

/** What was found about the layout: the report, its age, and the finding that is looked at. */
export class FiguresManager {
  private readonly raised = new Signal();
  readonly signal: Heard = this.raised;
  report: Report | null = null;
  /** Whether the report is about an earlier layout. */
  stale = true;
  finding: Finding | null = null;
  /** Part of each island that can be seen; null where nobody has looked. */
  visibleShare: number[] | null = null;

  /** What a look from around has told; returns whether it is news. */
  setVisibility(share: number[] | null): boolean {
    if (this.visibleShare === share) return false;
    this.visibleShare = share;
    this.raised.raise();
    return true;
  }

  setReport(report: Report | null, stale: boolean): void {
    if (this.report === report && this.stale === stale) return;
    this.report = report;
    this.stale = stale;
    this.raised.raise();
  }

  look(finding: Finding | null): void {
    if (this.finding === finding) return;
    this.finding = finding;
    this.raised.raise();
  }

  clear(): void {
    this.report = this.finding = this.visibleShare = null;
    this.stale = true;
    this.raised.raise();
  }
}
