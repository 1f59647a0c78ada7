/** The islands that are selected, wherever they were picked: one selection for table, model and ledger. */
export class Selection {
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
    this.islands = new Set(islands);
  }

  /** Add what is not all selected yet, take away what is. */
  toggle(islands: number[]): void {
    const all = islands.every((island) => this.islands.has(island));
    for (const island of islands) {
      if (all) this.islands.delete(island);
      else this.islands.add(island);
    }
  }

  /** All but this. */
  invert(count: number): void {
    const out = new Set<number>();
    for (let i = 0; i < count; i++) if (!this.islands.has(i)) out.add(i);
    this.islands = out;
  }

  clear(): void {
    this.islands = new Set();
  }
}
