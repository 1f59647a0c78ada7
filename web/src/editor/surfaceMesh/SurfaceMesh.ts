import type { BufferGeometry } from "three";
import { placesOf } from "../surface/seams";

/**
 * What of an object's mesh the file has: the corners of each triangle, three by three, the face of
 * each, and its group; null where the file has none for this object.
 */
export type Corners = { corner: Int32Array; face: Int32Array; group: Int32Array | null };

/** Read the server's answer: the number of triangles, their corners, their faces, their groups. */
export function readCorners(bytes: ArrayBuffer): Corners {
  const rows = new Int32Array(bytes);
  const count = rows[0];
  return {
    corner: rows.subarray(1, 1 + 3 * count),
    face: rows.subarray(1 + 3 * count, 1 + 4 * count),
    group: rows.length > 1 + 4 * count ? rows.subarray(1 + 4 * count, 1 + 5 * count) : null,
  };
}

/** Sides of a triangle: the corner after the k-th of triangle h / 3. */
export const after = (h: number): number => (h % 3 === 2 ? h - 2 : h + 1);

/**
 * One object's mesh as polygons that know their neighbours, with its seams. Half-edge 3 t + s is
 * the side of triangle t from its corner s.
 */
export class SurfaceMesh {
  /** Number of triangles. */
  readonly count: number;
  /** Equal for corners at one place, by triangle corner. */
  readonly place: Int32Array;
  /** Edge of each half-edge, -1 for a diagonal of a polygon. */
  readonly edgeOf: Int32Array;
  /**
   * Both ends of each edge, as places; its half-edges (the second -1 at a border); the corner that
   * names it for the server.
   */
  readonly ends: [number, number][] = [];
  readonly halves: [number, number][] = [];
  readonly names: number[] = [];
  /** Whether an edge parts two islands now, or is a border of the mesh. */
  readonly seam: boolean[] = [];
  readonly border: boolean[] = [];
  /** Edges at each place. */
  private at: number[][] = [];
  private trianglesOf = new Map<number, number[]>();
  private cornerAt = new Map<number, number>();

  constructor(
    readonly geometry: BufferGeometry,
    readonly corners: Corners,
  ) {
    const { corner, face } = corners;
    this.count = face.length;
    this.place = placesOf(this.position);
    this.edgeOf = new Int32Array(3 * this.count).fill(-1);
    const first = new Map<number, number>();
    const last = new Map<number, number>();
    for (let h = 0; h < corner.length; h++) {
      const f = face[Math.floor(h / 3)];
      first.set(f, Math.min(first.get(f) ?? Infinity, corner[h]));
      last.set(f, Math.max(last.get(f) ?? -1, corner[h]));
      this.cornerAt.set(corner[h], h);
    }
    for (let t = 0; t < this.count; t++)
      (this.trianglesOf.get(face[t]) ?? this.trianglesOf.set(face[t], []).get(face[t])!).push(t);
    const known = new Map<number, number>();
    for (let h = 0; h < 3 * this.count; h++) {
      const g = after(h);
      const f = face[Math.floor(h / 3)];
      const [a, b] = [corner[h], corner[g]];
      const ring = (one: number, two: number) =>
        two === one + 1 || (one === last.get(f) && two === first.get(f));
      if (!ring(a, b) && !ring(b, a)) continue;
      const [p, q] = [this.place[h], this.place[g]];
      if (p === q) continue;
      const key = Math.min(p, q) * 3 * this.count + Math.max(p, q);
      let edge = known.get(key);
      if (edge === undefined || this.halves[edge][1] >= 0) {
        edge = this.ends.length;
        known.set(key, edge);
        this.ends.push([p, q]);
        this.halves.push([h, -1]);
        this.names.push(ring(a, b) ? a : b);
        for (const end of [p, q]) (this.at[end] ??= []).push(edge);
      } else this.halves[edge][1] = h;
      this.edgeOf[h] = edge;
    }
    this.halves.forEach(([h, o], edge) => {
      this.border[edge] = o < 0;
      this.seam[edge] = o < 0 || !this.together(h, o);
    });
  }

  get position(): Float32Array {
    return this.geometry.getAttribute("position").array as Float32Array;
  }

  get uv(): Float32Array {
    return this.geometry.getAttribute("uv").array as Float32Array;
  }

  /** Island of a triangle in the layout, below 0 for none. */
  island(t: number): number {
    return (this.geometry.getAttribute("_island").array as Float32Array)[3 * t];
  }

  get edgeCount(): number {
    return this.ends.length;
  }

  face(t: number): number {
    return this.corners.face[t];
  }

  /** Triangles of a face. */
  triangles(face: number): readonly number[] {
    return this.trianglesOf.get(face) ?? [];
  }

  get faces(): Iterable<number> {
    return this.trianglesOf.keys();
  }

  /** The triangle corner of a corner of the file; undefined where no triangle has it. */
  triangleCorner(corner: number): number | undefined {
    return this.cornerAt.get(corner);
  }

  /** Edge that goes from a corner of the file to the next one of its face; -1 for none. */
  edgeFrom(corner: number): number {
    const at = this.cornerAt.get(corner);
    if (at === undefined) return -1;
    for (const t of this.triangles(this.face(Math.floor(at / 3))))
      for (const h of [3 * t, 3 * t + 1, 3 * t + 2])
        if (this.corners.corner[h] === corner && this.edgeOf[h] >= 0) return this.edgeOf[h];
    return -1;
  }

  /** Edges of a face. */
  edges(face: number): number[] {
    return this.triangles(face).flatMap((t) =>
      [3 * t, 3 * t + 1, 3 * t + 2].map((h) => this.edgeOf[h]).filter((e) => e >= 0),
    );
  }

  /** Edges at the ends of an edge, or at a place. */
  edgesAt(place: number): readonly number[] {
    return this.at[place] ?? [];
  }

  /** Faces beside an edge. */
  sides(edge: number): number[] {
    return this.halves[edge].filter((h) => h >= 0).map((h) => this.face(Math.floor(h / 3)));
  }

  point(h: number): [number, number, number] {
    return [this.position[3 * h], this.position[3 * h + 1], this.position[3 * h + 2]];
  }

  length(edge: number): number {
    const [h] = this.halves[edge];
    return distance(this.point(h), this.point(after(h)));
  }

  /** Angle between the faces on both sides, in radians; half a turn at a border. */
  turn(edge: number): number {
    const [h, o] = this.halves[edge];
    if (o < 0) return Math.PI;
    const [m, n] = [this.normal(Math.floor(h / 3)), this.normal(Math.floor(o / 3))];
    // Faces wound against one another: the sides run alike.
    const sign = this.place[h] === this.place[o] ? -1 : 1;
    return Math.acos(Math.max(-1, Math.min(1, sign * (m[0] * n[0] + m[1] * n[1] + m[2] * n[2]))));
  }

  normal(t: number): [number, number, number] {
    const [a, b, c] = [this.point(3 * t), this.point(3 * t + 1), this.point(3 * t + 2)];
    const [u, v] = [sub(b, a), sub(c, a)];
    const n: [number, number, number] = [
      u[1] * v[2] - u[2] * v[1],
      u[2] * v[0] - u[0] * v[2],
      u[0] * v[1] - u[1] * v[0],
    ];
    const size = Math.hypot(...n) || 1;
    return [n[0] / size, n[1] / size, n[2] / size];
  }

  private together(h: number, o: number): boolean {
    const [t, u] = [Math.floor(h / 3), Math.floor(o / 3)];
    // Empty surface is one piece until it is cut.
    if (this.island(t) < 0 && this.island(u) < 0) return true;
    if (this.island(t) < 0 || this.island(t) !== this.island(u)) return false;
    const [near, far] = this.place[o] === this.place[h] ? [o, after(o)] : [after(o), o];
    const same = (one: number, two: number) =>
      Math.abs(this.uv[2 * one] - this.uv[2 * two]) < 1e-5 &&
      Math.abs(this.uv[2 * one + 1] - this.uv[2 * two + 1]) < 1e-5;
    return same(h, near) && same(after(h), far);
  }
}

const sub = (a: number[], b: number[]): [number, number, number] => [
  a[0] - b[0],
  a[1] - b[1],
  a[2] - b[2],
];
export const distance = (a: number[], b: number[]): number =>
  Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);
