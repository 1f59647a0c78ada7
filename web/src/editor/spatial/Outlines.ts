import { NOWHERE, type Bounds } from "../affine/affine";
import { nearestOf, type Nearest } from "../geometry/distance";
import { apply, type Transform } from "../geometry/transform";
import type { LayoutModel } from "../layout/LayoutModel";
import { SpatialIndex } from "./SpatialIndex";

/** Islands with more edges than these together are not compared outline by outline while they are dragged. */
const MOST_EDGES = 2500;

/** From so many islands on those that move have no place in the index. */
const MANY = 300;

export type Contact = Nearest & { island: number };

/** What a group of islands that is being moved meets on the table; its own outlines are taken once, at the start. */
export class Outlines {
  /** Four numbers for each edge, on the table, as the islands lay at the start. */
  readonly edges: Float64Array;
  readonly bounds: Bounds;
  /** Whether outlines are compared, or only boxes. */
  readonly exact: boolean;
  private index: SpatialIndex;
  private own: Set<number>;
  private moved: Float64Array;

  constructor(
    private model: LayoutModel,
    readonly islands: number[],
  ) {
    this.own = new Set(islands);
    this.bounds = islands.length ? model.boundsOf(islands) : NOWHERE;
    // Where most of what is near moves itself, an index of the others alone is quicker for a whole gesture.
    this.index =
      islands.length > MANY
        ? new SpatialIndex(model.bounds.map((b, island) => (this.own.has(island) ? NOWHERE : b)))
        : model.index;
    const count = islands.reduce((sum, island) => sum + model.edgeCount(island), 0);
    this.exact = count <= MOST_EDGES;
    this.edges = this.exact
      ? Float64Array.from(islands.flatMap((island) => [...model.edgesOf(island)]))
      : new Float64Array(0);
    this.moved = new Float64Array(this.edges.length);
  }

  /** Islands that do not move and whose boxes come nearer than `reach`, when the group is transformed. */
  near(by: Transform, reach: number): number[] {
    const b = boundsAfter(this.bounds, by);
    return this.index
      .meeting({
        minX: b.minX - reach,
        minY: b.minY - reach,
        maxX: b.maxX + reach,
        maxY: b.maxY + reach,
      })
      .filter((island) => !this.own.has(island));
  }

  /** The nearest island that does not move, within a reach on the table; null when there is none. */
  nearest(by: Transform, reach: number): Contact | null {
    const edges = this.at(by);
    let best: Contact | null = null;
    for (const island of this.near(by, reach)) {
      const others = this.model.edgesOf(island);
      for (let i = 0; i < edges.length; i += 4)
        for (let j = 0; j < others.length; j += 4) {
          const found = nearestOf(edges, i, others, j, best ? best.distance : reach);
          if (found) best = { ...found, island };
          if (best?.distance === 0) return best;
        }
    }
    return best;
  }

  /** Islands that the group would lie on, or that would lie on it. */
  overlapped(by: Transform): number[] {
    if (!this.exact) return [];
    const edges = this.at(by);
    const back = this.islands
      .map((island) => this.model.anchorOf(island))
      .map(([x, y]) => apply(by, x, y));
    return this.near(by, 0).filter((island) => {
      const others = this.model.edgesOf(island);
      const [x, y] = this.model.anchorOf(island);
      if (inside(edges, x, y) || back.some(([u, v]) => inside(others, u, v))) return true;
      for (let i = 0; i < edges.length; i += 4)
        for (let j = 0; j < others.length; j += 4)
          if (nearestOf(edges, i, others, j, 1e-12)?.distance === 0) return true;
      return false;
    });
  }

  /** The group's own edges after a transform. */
  private at(by: Transform): Float64Array {
    for (let i = 0; i < this.edges.length; i += 2) {
      const [x, y] = apply(by, this.edges[i], this.edges[i + 1]);
      this.moved[i] = x;
      this.moved[i + 1] = y;
    }
    return this.moved;
  }
}

/** The box round a box after a transform. */
export function boundsAfter(b: Bounds, by: Transform): Bounds {
  if (!(b.minX <= b.maxX)) return b;
  const corners = [
    apply(by, b.minX, b.minY),
    apply(by, b.maxX, b.minY),
    apply(by, b.maxX, b.maxY),
    apply(by, b.minX, b.maxY),
  ];
  const xs = corners.map(([x]) => x);
  const ys = corners.map(([, y]) => y);
  return {
    minX: Math.min(...xs),
    minY: Math.min(...ys),
    maxX: Math.max(...xs),
    maxY: Math.max(...ys),
  };
}

/** Whether a point lies in the region that edges bound (even-odd). */
function inside(edges: ArrayLike<number>, x: number, y: number): boolean {
  let odd = false;
  for (let i = 0; i < edges.length; i += 4) {
    const [ay, by] = [edges[i + 1], edges[i + 3]];
    if (ay > y !== by > y && x < edges[i] + ((y - ay) / (by - ay)) * (edges[i + 2] - edges[i]))
      odd = !odd;
  }
  return odd;
}
