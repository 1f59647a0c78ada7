import { meets, type Bounds } from "../affine/affine";

/** Boxes that cover more cells than these are looked at one by one. */
const MOST_CELLS = 64;

/** Boxes in cells: which of them meet a box, without looking at all. */
export class SpatialIndex {
  private cells = new Map<number, number[]>();
  private large: number[] = [];
  private size: number;

  constructor(private bounds: readonly Bounds[]) {
    const sides = bounds
      .map((b) => Math.max(b.maxX - b.minX, b.maxY - b.minY))
      .filter((s) => s > 0 && Number.isFinite(s))
      .sort((a, b) => a - b);
    this.size = Math.max(2 * (sides[sides.length >> 1] ?? 1), 1e-6);
    bounds.forEach((b, item) => {
      if (!(b.minX <= b.maxX)) return;
      if (this.count(b) > MOST_CELLS) this.large.push(item);
      else
        this.each(b, (cell) =>
          (this.cells.get(cell) ?? this.cells.set(cell, []).get(cell)!).push(item),
        );
    });
  }

  /** Items whose boxes meet a box, each once. */
  meeting(box: Bounds): number[] {
    const out = new Set<number>();
    const take = (item: number) => {
      if (meets(this.bounds[item], box)) out.add(item);
    };
    this.large.forEach(take);
    // A box over very many cells: looking at all items is less work.
    if (this.count(box) > 4 * this.bounds.length + MOST_CELLS)
      this.bounds.forEach((_, item) => take(item));
    else this.each(box, (cell) => this.cells.get(cell)?.forEach(take));
    return [...out];
  }

  private count(b: Bounds): number {
    const at = (value: number) => Math.floor(value / this.size);
    return (at(b.maxX) - at(b.minX) + 1) * (at(b.maxY) - at(b.minY) + 1);
  }

  private each(b: Bounds, act: (cell: number) => void): void {
    const at = (value: number) => Math.floor(value / this.size);
    for (let x = at(b.minX); x <= at(b.maxX); x++)
      for (let y = at(b.minY); y <= at(b.maxY); y++) act(x * 0x200000 + y);
  }
}
