import { Signal, type Heard } from "../signal";

/** The islands that are selected, wherever they were selected: one selection for table, model and object list. */
export class Selection {
  private readonly raised = new Signal();
  readonly signal: Heard = this.raised;
  private islands = new Set<number>();

  get size(): number {
    return this.islands.size;
  }

  has(island: number): boolean {
    return this.islands.has(island);
  }

  list(): number[] {
    return [...this.islands].sort((a, b) => a - b);
  }

  set(islands: Iterable<number>): void {
    this.take(new Set(islands));
  }

  add(islands: Iterable<number>): void {
    this.take(new Set([...this.islands, ...islands]));
  }

  remove(islands: Iterable<number>): void {
    const next = new Set(this.islands);
    for (const island of islands) next.delete(island);
    this.take(next);
  }

  /** Add what is not all selected yet, take away what is. */
  toggle(islands: number[]): void {
    const next = new Set(this.islands);
    const all = islands.every((island) => next.has(island));
    for (const island of islands) {
      if (all) next.delete(island);
      else next.add(island);
    }
    this.take(next);
  }

  /** All but this. */
  invert(count: number): void {
    const out = new Set<number>();
    for (let i = 0; i < count; i++) if (!this.islands.has(i)) out.add(i);
    this.take(out);
  }

  clear(): void {
    this.take(new Set());
  }

  /** Nobody hears of a selection that is the same. */
  private take(next: Set<number>): void {
    const same =
      next.size === this.islands.size && [...next].every((island) => this.islands.has(island));
    this.islands = next;
    if (!same) this.raised.raise();
  }
}
