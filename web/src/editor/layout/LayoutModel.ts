import { applyX, applyY, contains, inTriangle, meets, NOWHERE, union, type Bounds } from "../affine/affine";
import type { TableMap } from "../table/TableMap";
import type { BaseLayout } from "./BaseLayout";

/** Group item numbers by island: items of island i are `items[start[i]] … items[start[i + 1] - 1]`. */
export function groupBy(islands: Int32Array, count: number): { start: Int32Array; items: Int32Array } {
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
  private triangles;
  private edges;
  private ringCache = new Map<number, Float32Array[]>();

  /** Number of the tile that each island lies in, 0 for none. */
  readonly homes: Int32Array;

  constructor(
    readonly base: BaseLayout,
    readonly placements: Float32Array,
    readonly map: TableMap,
  ) {
    this.homes = map.homes(base, placements);
    this.triangles = groupBy(base.triangleIsland, base.count);
    this.edges = groupBy(base.edgeIsland, base.count);
    this.bounds = Array.from({ length: base.count }, () => ({ ...NOWHERE }));
    base.edgeIsland.forEach((island, edge) => {
      for (let end = 0; end < 2; end++) {
        const [x, y] = this.place(island, base.edges[edge * 4 + end * 2], base.edges[edge * 4 + end * 2 + 1]);
        const b = this.bounds[island];
        b.minX = Math.min(b.minX, x);
        b.minY = Math.min(b.minY, y);
        b.maxX = Math.max(b.maxX, x);
        b.maxY = Math.max(b.maxY, y);
      }
    });
  }

  /** Table position of a base UV. */
  place(island: number, u: number, v: number): [number, number] {
    return this.map.place(applyX(this.placements, island, u, v), applyY(this.placements, island, u, v), this.homes[island]);
  }

  boundsOf(islands: number[]): Bounds {
    return islands.map((island) => this.bounds[island]).reduce(union, NOWHERE);
  }

  /** The island at a table position, the smallest where several lie on one another; -1 for none. */
  islandAt(x: number, y: number): number {
    let best = -1;
    let size = Infinity;
    const t = new Float64Array(6);
    for (let island = 0; island < this.base.count; island++) {
      const b = this.bounds[island];
      const area = (b.maxX - b.minX) * (b.maxY - b.minY);
      if (area >= size || !contains(b, x, y)) continue;
      for (let k = this.triangles.start[island]; k < this.triangles.start[island + 1]; k++) {
        const at = this.triangles.items[k] * 6;
        for (let c = 0; c < 3; c++) {
          const [px, py] = this.place(island, this.base.corners[at + 2 * c], this.base.corners[at + 2 * c + 1]);
          t[2 * c] = px;
          t[2 * c + 1] = py;
        }
        if (inTriangle(x, y, t)) {
          best = island;
          size = area;
          break;
        }
      }
    }
    return best;
  }

  islandsIn(box: Bounds): number[] {
    const out: number[] = [];
    this.bounds.forEach((b, island) => {
      if (meets(b, box)) out.push(island);
    });
    return out;
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
        const next = from.get(key(ring[ring.length - 2], ring[ring.length - 1]))?.find((edge) => left.has(edge));
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
