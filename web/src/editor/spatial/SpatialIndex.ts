import Flatbush from "flatbush";
import type { Bounds } from "../affine/affine";

/** Boxes in a packed R-tree: which of them meet a box, without looking at all. */
export class SpatialIndex {
  private readonly tree: Flatbush | null;
  /** Numbers of the boxes that are somewhere. */
  private readonly items: number[] = [];

  constructor(bounds: readonly Bounds[]) {
    bounds.forEach((b, item) => {
      if (b.minX <= b.maxX && b.minY <= b.maxY) this.items.push(item);
    });
    this.tree = this.items.length ? new Flatbush(this.items.length) : null;
    for (const item of this.items) {
      const { minX, minY, maxX, maxY } = bounds[item];
      this.tree!.add(minX, minY, maxX, maxY);
    }
    this.tree?.finish();
  }

  /** Items whose boxes meet a box, each once. */
  meeting({ minX, minY, maxX, maxY }: Bounds): number[] {
    const found = this.tree?.search(minX, minY, maxX, maxY) ?? [];
    return found.map((k) => this.items[k]);
  }
}
