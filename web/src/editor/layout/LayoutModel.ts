import { applyX, applyY, inTriangle, NOWHERE, union, type Bounds } from "../affine/affine";
import { SpatialIndex } from "../spatial/SpatialIndex";
import { crosses, inShape } from "../geometry/shape";
import type { TableMap } from "../table/TableMap";
import { labelAnchors } from "./anchors";
import type { BaseLayout } from "./BaseLayout";

/** Items of island i are `items[start[i]] … items[start[i + 1] - 1]`. */
type Rows = { start: Int32Array; items: Int32Array };

function groupBy(islands: Int32Array, count: number): Rows {
  const start = new Int32Array(count + 1);
  for (const island of islands) start[island + 1]++;
  for (let i = 0; i < count; i++) start[i + 1] += start[i];
  const fill = start.slice();
  const items = new Int32Array(islands.length);
  islands.forEach((island, item) => (items[fill[island]++] = item));
  return { start, items };
}

/** Base islands under placements: where they lie on the table, and what is under the pointer. */
export class LayoutModel {
  readonly bounds: Bounds[];
  /** Islands that are out of sight: nothing meets them. */
  hidden: ReadonlySet<number> = new Set();
  /** Number of the tile that each island lies in, 0 for none. */
  readonly homes: Int32Array;
  private triangles: Rows;
  private edges: Rows;
  private ringCache: Map<number, Float32Array[]>;
  /** For each island a point that surely lies on it, in base UVs. */
  readonly anchors: Float32Array;
  private edgeCache = new Map<number, Float64Array>();
  private indexed: SpatialIndex | null = null;

  constructor(
    readonly base: BaseLayout,
    readonly placements: Float32Array,
    readonly map: TableMap,
    before?: LayoutModel,
    changed?: number[],
  ) {
    this.triangles = before?.triangles ?? groupBy(base.triangleIsland, base.count);
    this.edges = before?.edges ?? groupBy(base.edgeIsland, base.count);
    this.ringCache = before?.ringCache ?? new Map();
    this.anchors = before?.anchors ?? labelAnchors(base);
    if (before) this.hidden = before.hidden;
    this.homes = before ? before.homes.slice() : new Int32Array(base.count);
    this.bounds = before ? before.bounds.slice() : new Array<Bounds>(base.count);
    if (before && changed) changed.forEach((island) => this.measure(island));
    else for (let island = 0; island < base.count; island++) this.measure(island);
    before?.edgeCache.forEach((edges, island) => {
      if (this.bounds[island] === before.bounds[island]) this.edgeCache.set(island, edges);
    });
  }

  /** The same islands, some of them placed anew. */
  moved(placements: Float32Array, changed: number[]): LayoutModel {
    return new LayoutModel(this.base, placements, this.map, this, changed);
  }

  /** Which boxes lie where. */
  get index(): SpatialIndex {
    return (this.indexed ??= new SpatialIndex(this.bounds));
  }

  edgeCount(island: number): number {
    return this.edges.start[island + 1] - this.edges.start[island];
  }

  /** Outline of an island on the table, four numbers an edge. */
  edgesOf(island: number): Float64Array {
    const known = this.edgeCache.get(island);
    if (known) return known;
    const out = new Float64Array(4 * this.edgeCount(island));
    for (let k = this.edges.start[island], at = 0; k < this.edges.start[island + 1]; k++, at += 4) {
      const e = this.edges.items[k] * 4;
      for (let end = 0; end < 4; end += 2)
        out.set(
          this.place(island, this.base.edges[e + end], this.base.edges[e + end + 1]),
          at + end,
        );
    }
    this.edgeCache.set(island, out);
    return out;
  }

  /** A point on the table that surely lies on the island. */
  anchorOf(island: number): [number, number] {
    return this.place(island, this.anchors[2 * island], this.anchors[2 * island + 1]);
  }

  /** Home and box of an island. */
  private measure(island: number): void {
    const box = [Infinity, Infinity, -Infinity, -Infinity];
    for (let k = this.edges.start[island]; k < this.edges.start[island + 1]; k++) {
      const e = this.edges.items[k] * 4;
      for (let end = 0; end < 4; end += 2) {
        const x = applyX(
          this.placements,
          island,
          this.base.edges[e + end],
          this.base.edges[e + end + 1],
        );
        const y = applyY(
          this.placements,
          island,
          this.base.edges[e + end],
          this.base.edges[e + end + 1],
        );
        if (x < box[0]) box[0] = x;
        if (y < box[1]) box[1] = y;
        if (x > box[2]) box[2] = x;
        if (y > box[3]) box[3] = y;
      }
    }
    const home = this.map.homeOf(0.5 * (box[0] + box[2]), 0.5 * (box[1] + box[3]));
    this.homes[island] = home;
    if (!(box[0] <= box[2])) {
      this.bounds[island] = { ...NOWHERE };
      return;
    }
    const [minX, minY] = this.map.place(box[0], box[1], home);
    const [maxX, maxY] = this.map.place(box[2], box[3], home);
    this.bounds[island] = { minX, minY, maxX, maxY };
  }

  /** Table position of a base UV. */
  place(island: number, u: number, v: number): [number, number] {
    return this.map.place(
      applyX(this.placements, island, u, v),
      applyY(this.placements, island, u, v),
      this.homes[island],
    );
  }

  boundsOf(islands: number[]): Bounds {
    return islands.map((island) => this.bounds[island]).reduce(union, NOWHERE);
  }

  /** The island at a table position, the smallest where several lie on one another; -1 for none. */
  islandAt(x: number, y: number): number {
    return this.islandsAt(x, y)[0] ?? -1;
  }

  /** All islands at a table position, the smallest first. */
  islandsAt(x: number, y: number): number[] {
    const out: { island: number; area: number }[] = [];
    const t = new Float64Array(6);
    for (const island of this.index.meeting({ minX: x, minY: y, maxX: x, maxY: y })) {
      if (this.hidden.has(island)) continue;
      const b = this.bounds[island];
      for (let k = this.triangles.start[island]; k < this.triangles.start[island + 1]; k++) {
        const at = this.triangles.items[k] * 6;
        for (let c = 0; c < 3; c++) {
          const [px, py] = this.place(
            island,
            this.base.corners[at + 2 * c],
            this.base.corners[at + 2 * c + 1],
          );
          t[2 * c] = px;
          t[2 * c + 1] = py;
        }
        if (inTriangle(x, y, t)) {
          out.push({ island, area: (b.maxX - b.minX) * (b.maxY - b.minY) });
          break;
        }
      }
    }
    return out.sort((a, b) => a.area - b.area || a.island - b.island).map(({ island }) => island);
  }

  islandsIn(box: Bounds): number[] {
    return this.index
      .meeting(box)
      .filter((island) => !this.hidden.has(island))
      .sort((a, b) => a - b);
  }

  /** Islands that a shape drawn on the table (x, y of its corners) meets or holds. */
  islandsWithin(shape: readonly number[], whole = false): number[] {
    if (shape.length < 6) return [];
    const box = { ...NOWHERE };
    for (let k = 0; k < shape.length; k += 2) {
      box.minX = Math.min(box.minX, shape[k]);
      box.maxX = Math.max(box.maxX, shape[k]);
      box.minY = Math.min(box.minY, shape[k + 1]);
      box.maxY = Math.max(box.maxY, shape[k + 1]);
    }
    return this.islandsIn(box).filter((island) => {
      const edges = this.edgesOf(island);
      for (let k = 0; k < edges.length; k += 4) {
        const [x, y, toX, toY] = edges.subarray(k, k + 4);
        if (whole) {
          if (!inShape(x, y, shape) || crosses(x, y, toX, toY, shape)) return false;
        } else if (
          inShape(edges[k], edges[k + 1], shape) ||
          crosses(edges[k], edges[k + 1], edges[k + 2], edges[k + 3], shape)
        )
          return true;
      }
      return whole || this.islandsAt(shape[0], shape[1]).includes(island);
    });
  }

  /** Outline of an island in base UVs as rings of u, v pairs, for dashes that run around corners. */
  rings(island: number): Float32Array[] {
    const known = this.ringCache.get(island);
    if (known) return known;
    const { start, items } = this.edges;
    const e = this.base.edges;
    const key = (u: number, v: number) => `${u},${v}`;
    const from = new Map<string, number[]>();
    const left = new Set<number>();
    for (let k = start[island]; k < start[island + 1]; k++) {
      const edge = items[k];
      left.add(edge);
      const at = key(e[edge * 4], e[edge * 4 + 1]);
      from.set(at, [...(from.get(at) ?? []), edge]);
    }
    const rings: Float32Array[] = [];
    for (const first of [...left]) {
      if (!left.delete(first)) continue;
      const ring = [e[first * 4], e[first * 4 + 1], e[first * 4 + 2], e[first * 4 + 3]];
      for (;;) {
        const next = from
          .get(key(ring[ring.length - 2], ring[ring.length - 1]))
          ?.find((edge) => left.has(edge));
        if (next === undefined) break;
        left.delete(next);
        ring.push(e[next * 4 + 2], e[next * 4 + 3]);
      }
      rings.push(new Float32Array(ring));
    }
    this.ringCache.set(island, rings);
    return rings;
  }
}
