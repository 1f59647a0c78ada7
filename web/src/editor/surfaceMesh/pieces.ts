import { after, type SurfaceMesh } from "./SurfaceMesh";

/** What seams make of a mesh: how many islands, and how many of these can lie flat as they are. */
export type Pieces = { islands: number; flat: number };

/**
 * Count the islands that come about when some edges are seams, and those that topology lets lie
 * flat: with a border and without a handle. `keep`: present seams stay. Only triangles of some
 * islands are looked at when these are given.
 */
export function pieces(
  surface: SurfaceMesh,
  seams: ReadonlySet<number>,
  keep: boolean,
  islands?: ReadonlySet<number>,
): Pieces {
  const n = surface.count;
  const inside = (t: number) => !islands || islands.has(surface.island(t));
  const tri = roots(n);
  const corner = roots(3 * n);
  const sewn = (edge: number) =>
    !surface.border[edge] && !seams.has(edge) && (!keep || !surface.seam[edge]);
  const join = (h: number, o: number) => {
    join2(tri, Math.floor(h / 3), Math.floor(o / 3));
    const [near, far] = surface.place[o] === surface.place[h] ? [o, after(o)] : [after(o), o];
    join2(corner, h, near);
    join2(corner, after(h), far);
  };
  surface.halves.forEach(([h, o], edge) => {
    if (o >= 0 && sewn(edge) && inside(Math.floor(h / 3)) && inside(Math.floor(o / 3))) join(h, o);
  });
  // Triangles of one polygon always hang together.
  for (const face of surface.faces) {
    const own = surface.triangles(face);
    const by = new Map<number, number>();
    for (const t of own)
      for (let h = 3 * t; h < 3 * t + 3; h++) {
        if (surface.edgeOf[h] >= 0) continue;
        const key =
          Math.min(surface.place[h], surface.place[after(h)]) * 3 * n +
          Math.max(surface.place[h], surface.place[after(h)]);
        const other = by.get(key);
        if (other === undefined) by.set(key, h);
        else join(h, other);
      }
  }
  const euler = new Map<number, number>();
  const add = (t: number, by: number) => {
    const root = find(tri, t);
    euler.set(root, (euler.get(root) ?? 0) + by);
  };
  const rim: [number, number][] = [];
  for (let t = 0; t < n; t++) {
    if (!inside(t)) continue;
    add(t, 1);
    for (let h = 3 * t; h < 3 * t + 3; h++) {
      if (find(corner, h) === h) add(t, 1);
      const edge = surface.edgeOf[h];
      // A sewn edge is met from both sides, as a diagonal is.
      const both =
        edge < 0 ||
        (sewn(edge) && surface.halves[edge].every((o) => o >= 0 && inside(Math.floor(o / 3))));
      add(t, both ? -0.5 : -1);
      if (!both) rim.push([h, after(h)]);
    }
  }
  const loops = new Map<number, number>();
  const ring = roots(3 * n);
  for (const [a, b] of rim) join2(ring, find(corner, a), find(corner, b));
  const seen = new Set<number>();
  for (const [a] of rim) {
    const root = find(ring, find(corner, a));
    if (seen.has(root)) continue;
    seen.add(root);
    const chart = find(tri, Math.floor(a / 3));
    loops.set(chart, (loops.get(chart) ?? 0) + 1);
  }
  let flat = 0;
  // Euler's number of a sphere with holes is 2 less the holes.
  for (const [chart, number] of euler)
    if ((loops.get(chart) ?? 0) > 0 && Math.round(number) === 2 - loops.get(chart)!) flat++;
  return { islands: euler.size, flat };
}

const roots = (count: number): Int32Array => Int32Array.from({ length: count }, (_, i) => i);

function find(up: Int32Array, i: number): number {
  while (up[i] !== i) i = up[i] = up[up[i]];
  return i;
}

function join2(up: Int32Array, a: number, b: number): void {
  const [p, q] = [find(up, a), find(up, b)];
  up[Math.max(p, q)] = Math.min(p, q);
}
