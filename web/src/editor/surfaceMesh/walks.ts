import { distance, type SurfaceMesh } from "./SurfaceMesh";

/**
 * The loop of an edge: on over corners where four edges meet, to the edge across; at others along the crease that it
 * is part of, as round the rim of a cap. It ends where neither leads on, and at seams unless it may run `through` them.
 */
export function edgeLoop(surface: SurfaceMesh, edge: number, through = true): number[] {
  const found = new Set([edge]);
  for (const start of surface.ends[edge]) {
    let [here, at] = [edge, start];
    for (;;) {
      const next = across(surface, here, at);
      if (next < 0 || found.has(next) || (!through && surface.seam[next] !== surface.seam[edge]))
        break;
      found.add(next);
      at = surface.ends[next][0] === at ? surface.ends[next][1] : surface.ends[next][0];
      here = next;
    }
  }
  return [...found];
}

/** Radians from which the faces beside an edge make a crease. */
const SHARP = 0.35;
/** Creases that turn by this part of one another are one crease. */
const ALIKE = 0.25;

/**
 * The edge that goes on from another one at a place: along a border the other border edge; of four the only one that
 * shares no face with it; of others the only one that turns as sharply.
 */
function across(surface: SurfaceMesh, edge: number, place: number): number {
  const all = surface.edgesAt(place);
  if (surface.border[edge]) return all.find((e) => e !== edge && surface.border[e]) ?? -1;
  if (all.length === 4) {
    const mine = new Set(surface.sides(edge));
    return all.find((e) => e !== edge && !surface.sides(e).some((face) => mine.has(face))) ?? -1;
  }
  const turn = surface.turn(edge);
  if (turn < SHARP) return -1;
  const like = all.filter((e) => e !== edge && Math.abs(surface.turn(e) - turn) < ALIKE * turn);
  return like.length === 1 ? like[0] : -1;
}

/** Why the loop of an edge is that edge alone; empty where it is not. */
export function whyNoLoop(surface: SurfaceMesh, edge: number, through = true): string {
  if (edgeLoop(surface, edge, through).length > 1) return "";
  const [a, b] = surface.ends[edge].map((place) => surface.edgesAt(place).length);
  return !through && edgeLoop(surface, edge).length > 1
    ? "The loop of this edge ends at seams on both sides."
    : `This edge has no loop: ${a} and ${b} edges meet at its ends, and none of them goes straight on or turns as sharply.`;
}

/** How much of its length an edge along a sharp crease costs on a path. */
const CREASED = 0.35;

/** Edges of the shortest way between two places, rather along creases; empty when there is none. */
export function shortestPath(surface: SurfaceMesh, from: number, to: number): number[] {
  const cost = new Map([[from, 0]]);
  const came = new Map<number, number>();
  const done = new Set<number>();
  const heap: [number, number][] = [[0, from]];
  while (heap.length) {
    const [so, here] = pop(heap);
    if (here === to) break;
    if (done.has(here)) continue;
    done.add(here);
    for (const edge of surface.edgesAt(here)) {
      const [a, b] = surface.ends[edge];
      const next = a === here ? b : a;
      // A border is a seam already.
      const bent = surface.border[edge] ? 0 : Math.min(1, surface.turn(edge) / (Math.PI / 3));
      const far = so + surface.length(edge) * (1 - (1 - CREASED) * bent);
      if (far < (cost.get(next) ?? Infinity)) {
        cost.set(next, far);
        came.set(next, edge);
        push(heap, [far, next]);
      }
    }
  }
  const out: number[] = [];
  for (let here = to; here !== from;) {
    const edge = came.get(here);
    if (edge === undefined) return [];
    out.push(edge);
    here = surface.ends[edge][0] === here ? surface.ends[edge][1] : surface.ends[edge][0];
  }
  return out.reverse();
}

/** Faces that hang together with one over edges that turn by less than an angle (radians). */
export function smoothFaces(surface: SurfaceMesh, face: number, angle: number): number[] {
  const found = new Set([face]);
  const queue = [face];
  while (queue.length)
    for (const edge of surface.edges(queue.pop()!)) {
      if (surface.turn(edge) > angle) continue;
      for (const side of surface.sides(edge))
        if (!found.has(side)) {
          found.add(side);
          queue.push(side);
        }
    }
  return [...found];
}

/** All faces that look the same way as some of an object, up to an angle (radians). */
export function sameDirection(
  surface: SurfaceMesh,
  faces: ReadonlySet<number>,
  angle: number,
): number[] {
  const least = Math.cos(angle) - 1e-9;
  const ways = [...faces].map((face) => surface.normal(surface.triangles(face)[0]));
  return [...surface.faces].filter((face) => {
    const n = surface.normal(surface.triangles(face)[0]);
    return ways.some((m) => m[0] * n[0] + m[1] * n[1] + m[2] * n[2] >= least);
  });
}

/** All faces in the groups of the file that some faces are in; none where it has no groups. */
export function sameGroup(surface: SurfaceMesh, faces: Iterable<number>): number[] {
  const { group } = surface.corners;
  if (!group) return [];
  const of = (face: number) => group[surface.triangles(face)[0]];
  const wanted = new Set([...faces].map(of));
  return [...surface.faces].filter((face) => wanted.has(of(face)));
}

/** Faces with those that share an edge with them; or without those at their rim. */
export function grown(surface: SurfaceMesh, faces: ReadonlySet<number>, more: boolean): number[] {
  const rim = (face: number) =>
    surface.edges(face).some((edge) => surface.sides(edge).some((side) => !faces.has(side)));
  if (!more) return [...faces].filter((face) => !rim(face));
  return [
    ...new Set([
      ...faces,
      ...[...faces].flatMap((face) => surface.edges(face).flatMap((edge) => surface.sides(edge))),
    ]),
  ];
}

/** Edges between some faces and all others. */
export function borderOf(surface: SurfaceMesh, faces: ReadonlySet<number>): number[] {
  const out = new Set<number>();
  for (const face of faces)
    for (const edge of surface.edges(face))
      if (surface.sides(edge).some((side) => !faces.has(side)) || surface.border[edge])
        out.add(edge);
  return [...out];
}

/**
 * Edges on the other side of a plane through the middle of the mesh, square to an axis (0, 1, 2);
 * those without a partner are left out.
 */
export function mirrored(surface: SurfaceMesh, edges: Iterable<number>, axis: number): number[] {
  const { position, place } = surface;
  const [low, high] = [
    [Infinity, Infinity, Infinity],
    [-Infinity, -Infinity, -Infinity],
  ];
  for (let k = 0; k < position.length; k++) {
    low[k % 3] = Math.min(low[k % 3], position[k]);
    high[k % 3] = Math.max(high[k % 3], position[k]);
  }
  const size = Math.max(...high.map((h, k) => h - low[k])) || 1;
  const key = (p: number[]) => p.map((x, k) => Math.round(((x - low[k]) / size) * 2000)).join(" ");
  const there = new Map<string, number>();
  for (let h = 0; h < place.length; h++) there.set(key(surface.point(h)), place[h]);
  const partner = (h: number) => {
    const p: number[] = surface.point(h);
    p[axis] = low[axis] + high[axis] - p[axis];
    return there.get(key(p));
  };
  const out: number[] = [];
  for (const edge of edges) {
    const [h] = surface.halves[edge];
    const [a, b] = [partner(h), partner(h % 3 === 2 ? h - 2 : h + 1)];
    const found =
      a === undefined || b === undefined
        ? undefined
        : surface.edgesAt(a).find((e) => surface.ends[e].includes(b));
    if (found !== undefined) out.push(found);
  }
  return out;
}

/** The edge of a face nearest to a point of it. */
export function nearestEdge(surface: SurfaceMesh, face: number, point: number[]): number {
  const off = (edge: number) => {
    const [h] = surface.halves[edge];
    const [a, b] = [surface.point(h), surface.point(h % 3 === 2 ? h - 2 : h + 1)];
    const along = [0, 1, 2].map((k) => b[k] - a[k]);
    const square = along.reduce((sum, x) => sum + x * x, 0) || 1;
    const share = Math.max(
      0,
      Math.min(1, along.reduce((sum, x, k) => sum + x * (point[k] - a[k]), 0) / square),
    );
    return distance(
      point,
      a.map((x, k) => x + share * along[k]),
    );
  };
  return least(surface.edges(face), off);
}

/** The triangle corner of a face nearest to a point. */
export function nearestCorner(surface: SurfaceMesh, face: number, point: number[]): number {
  return least(
    surface.triangles(face).flatMap((t) => [3 * t, 3 * t + 1, 3 * t + 2]),
    (h) => distance(point, surface.point(h)),
  );
}

function least(items: number[], of: (item: number) => number): number {
  let [best, found] = [Infinity, -1];
  for (const item of items) {
    const value = of(item);
    if (value < best) [best, found] = [value, item];
  }
  return found;
}

function push(heap: [number, number][], item: [number, number]): void {
  let k = heap.push(item) - 1;
  while (k > 0) {
    const up = (k - 1) >> 1;
    if (heap[up][0] <= item[0]) break;
    [heap[k], heap[up]] = [heap[up], heap[k]];
    k = up;
  }
}

function pop(heap: [number, number][]): [number, number] {
  const top = heap[0];
  const last = heap.pop()!;
  if (!heap.length) return top;
  heap[0] = last;
  for (let k = 0; ;) {
    const [l, r] = [2 * k + 1, 2 * k + 2];
    let low = k;
    if (l < heap.length && heap[l][0] < heap[low][0]) low = l;
    if (r < heap.length && heap[r][0] < heap[low][0]) low = r;
    if (low === k) return top;
    [heap[k], heap[low]] = [heap[low], heap[k]];
    k = low;
  }
}
