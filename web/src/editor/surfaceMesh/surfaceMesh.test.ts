import { BufferAttribute, BufferGeometry } from "three";
import { describe, expect, it } from "vitest";
import { SurfaceMesh, readCorners } from "./SurfaceMesh";
import { pieces } from "./pieces";
import {
  borderOf,
  edgeLoop,
  whyNoLoop,
  grown,
  sameDirection,
  sameGroup,
  mirrored,
  nearestCorner,
  nearestEdge,
  shortestPath,
  smoothFaces,
} from "./walks";

/**
 * A sheet of n x n quads of two triangles each, `z` of each point by its column and row; all one
 * island, or one for each side of a column.
 */
function sheet(n: number, z: (i: number, j: number) => number = () => 0, cutAt = -1): SurfaceMesh {
  const points: number[] = [],
    uv: number[] = [],
    island: number[] = [],
    corner: number[] = [],
    face: number[] = [];
  for (let j = 0; j < n; j++)
    for (let i = 0; i < n; i++) {
      const quad = [
        [i, j],
        [i + 1, j],
        [i + 1, j + 1],
        [i, j + 1],
      ];
      const f = j * n + i;
      const mine = cutAt >= 0 && i >= cutAt ? 1 : 0;
      for (const k of [0, 1, 2, 0, 2, 3]) {
        const [x, y] = quad[k];
        points.push(x, y, z(x, y));
        uv.push(x / n / 2 + mine * 0.5, y / n / 2);
        island.push(mine);
        corner.push(4 * f + k);
      }
      face.push(f, f);
    }
  const mesh = new BufferGeometry();
  mesh.setAttribute("position", new BufferAttribute(new Float32Array(points), 3));
  mesh.setAttribute("uv", new BufferAttribute(new Float32Array(uv), 2));
  mesh.setAttribute("_island", new BufferAttribute(new Float32Array(island), 1));
  return new SurfaceMesh(
    mesh,
    readCorners(new Int32Array([face.length, ...corner, ...face]).buffer),
  );
}

/** A surface of polygons, each with corners of its own, in one island. */
function solid(polygons: number[][][]): SurfaceMesh {
  const points: number[] = [],
    corner: number[] = [],
    face: number[] = [];
  let first = 0;
  polygons.forEach((polygon, f) => {
    for (let k = 1; k + 1 < polygon.length; k++) {
      for (const c of [0, k, k + 1]) {
        points.push(...polygon[c]);
        corner.push(first + c);
      }
      face.push(f);
    }
    first += polygon.length;
  });
  const mesh = new BufferGeometry();
  const floats = (values: number[], size: number) =>
    new BufferAttribute(new Float32Array(values), size);
  mesh.setAttribute("position", floats(points, 3));
  mesh.setAttribute(
    "uv",
    floats(
      points.flatMap((v, k) => (k % 3 < 2 ? [v] : [])),
      2,
    ),
  );
  mesh.setAttribute("_island", floats(points.filter((_, k) => k % 3 === 0).fill(0), 1));
  return new SurfaceMesh(
    mesh,
    readCorners(new Int32Array([face.length, ...corner, ...face]).buffer),
  );
}

/** A drum of some sides with two caps. */
function drum(sides: number): SurfaceMesh {
  const round = (z: number) =>
    Array.from({ length: sides }, (_, k) => {
      const turn = (2 * Math.PI * k) / sides;
      return [Math.fround(Math.cos(turn)), Math.fround(Math.sin(turn)), z];
    });
  const [low, high] = [round(0), round(2)];
  return solid([
    [...low].reverse(),
    high,
    ...low.map((at, k) => [at, low[(k + 1) % sides], high[(k + 1) % sides], high[k]]),
  ]);
}

/** The edge between two points of the surface. */
function edge(surface: SurfaceMesh, a: number[], b: number[]): number {
  const on = (h: number, point: number[]) =>
    point.every((value, axis) => surface.point(h)[axis] === value);
  return surface.halves.findIndex(([h]) => {
    const g = h % 3 === 2 ? h - 2 : h + 1;
    return (on(h, a) && on(g, b)) || (on(h, b) && on(g, a));
  });
}

describe("a surface", () => {
  it("has the edges of its polygons, not their diagonals", () => {
    const surface = sheet(3);
    expect(surface.edgeCount).toBe(2 * 3 * 4);
    expect(surface.border.filter(Boolean)).toHaveLength(12);
    expect(surface.edges(4)).toHaveLength(4);
    expect(surface.sides(edge(surface, [1, 1], [1, 2]))).toEqual(expect.arrayContaining([3, 4]));
  });

  it("names an edge by the corner where it starts in its face", () => {
    const surface = sheet(1);
    expect([...surface.names].sort()).toEqual([0, 1, 2, 3]);
    expect(surface.names[edge(surface, [0, 1], [0, 0])]).toBe(3);
  });

  it("knows its seams and how sharply it turns", () => {
    const surface = sheet(4, (i) => Math.abs(i - 2), 2);
    const ridge = edge(surface, [2, 1], [2, 2]);
    expect(surface.seam[ridge]).toBe(true);
    expect(surface.seam[edge(surface, [1, 1], [1, 2])]).toBe(false);
    expect(surface.turn(ridge)).toBeCloseTo(Math.PI / 2);
    expect(surface.length(ridge)).toBe(1);
  });
});

describe("walks", () => {
  it("follow a loop from border to border, and end at seams when asked to", () => {
    const surface = sheet(4, undefined, 2);
    expect(edgeLoop(surface, edge(surface, [0, 2], [1, 2]))).toHaveLength(4);
    expect(edgeLoop(surface, edge(surface, [2, 0], [2, 1]), false)).toHaveLength(4);
    // Round the border all the way.
    expect(edgeLoop(surface, edge(surface, [0, 0], [1, 0]))).toHaveLength(16);
  });

  it("follow the rim of a cap, and say why another edge has no loop", () => {
    const surface = drum(12);
    const step = (k: number, z: number) => [
      Math.fround(Math.cos((k * Math.PI) / 6)),
      Math.fround(Math.sin((k * Math.PI) / 6)),
      z,
    ];
    const rim = edge(surface, step(0, 0), step(1, 0));
    expect(edgeLoop(surface, rim)).toHaveLength(12);
    expect(whyNoLoop(surface, rim)).toBe("");
    const upright = edge(surface, step(2, 0), step(2, 2));
    expect(edgeLoop(surface, upright)).toEqual([upright]);
    expect(whyNoLoop(surface, upright)).toContain("3 and 3 edges meet at its ends");
    // All edges of a box turn alike: none of them is more of a rim than another.
    const box = drum(4);
    expect(edgeLoop(box, edge(box, step(0, 0), step(3, 0)))).toHaveLength(1);
  });

  it("take the shortest way, rather along a crease", () => {
    const flat = sheet(4);
    const place = (surface: SurfaceMesh, x: number, y: number) =>
      surface.place[
        Array.from({ length: 3 * surface.count }, (_, h) => h).find(
          (h) => surface.point(h)[0] === x && surface.point(h)[1] === y,
        )!
      ];
    expect(shortestPath(flat, place(flat, 0, 0), place(flat, 0, 3))).toHaveLength(3);
    const ridged = sheet(4, (i) => (i === 1 ? 0.9 : 0));
    const found = shortestPath(ridged, place(ridged, 1, 0), place(ridged, 1, 4));
    expect(found).toHaveLength(4);
    expect(found.every((e) => ridged.turn(e) > 1)).toBe(true);
    expect(shortestPath(flat, 0, 10_000)).toEqual([]);
  });

  it("grow, shrink and border faces, and stop a smooth surface at creases", () => {
    const surface = sheet(4, (i) => Math.abs(i - 2));
    expect(grown(surface, new Set([5]), true)).toHaveLength(5);
    expect(grown(surface, new Set([0, 1, 4, 5]), false)).toEqual([0]);
    expect(borderOf(surface, new Set([5, 6]))).toHaveLength(6);
    expect(smoothFaces(surface, 0, 0.5)).toHaveLength(8);
  });

  it("finds faces that look the same way, and those of the same groups", () => {
    // A roof: eight faces on each side of the ridge, 90 degrees apart.
    const roof = sheet(4, (i) => Math.abs(i - 2));
    expect(sameDirection(roof, new Set([0]), 0.1)).toEqual([0, 1, 4, 5, 8, 9, 12, 13]);
    expect(sameDirection(roof, new Set([0]), Math.PI / 2)).toHaveLength(16);
    expect(sameGroup(roof, [0])).toEqual([]);
    const face = roof.corners.face;
    const group = face.map((f) => f % 3);
    const parted = new SurfaceMesh(roof.geometry, { ...roof.corners, group });
    expect(sameGroup(parted, [1, 2])).toEqual([1, 2, 4, 5, 7, 8, 10, 11, 13, 14]);
  });

  it("find the mirror image of edges", () => {
    const surface = sheet(4);
    expect(mirrored(surface, [edge(surface, [1, 0], [1, 1])], 0)).toEqual([
      edge(surface, [3, 0], [3, 1]),
    ]);
  });

  it("find what is nearest to a point of a face", () => {
    const surface = sheet(2);
    expect(nearestEdge(surface, 0, [0.9, 0.5, 0])).toBe(edge(surface, [1, 0], [1, 1]));
    expect(surface.point(nearestCorner(surface, 0, [0.8, 0.9, 0]))).toEqual([1, 1, 0]);
  });
});

describe("what seams make", () => {
  it("counts islands, and those that can lie flat", () => {
    const surface = sheet(4);
    const column = new Set([0, 1, 2, 3].map((j) => edge(surface, [2, j], [2, j + 1])));
    expect(pieces(surface, new Set(), true)).toEqual({ islands: 1, flat: 1 });
    expect(pieces(surface, column, true)).toEqual({ islands: 2, flat: 2 });
    // A cut that does not go through parts nothing, and a ring round the middle leaves a hole: both lie flat.
    expect(pieces(surface, new Set([...column].slice(1, 3)), true)).toEqual({
      islands: 1,
      flat: 1,
    });
    const ring = new Set(borderOf(surface, new Set([5, 6, 9, 10])));
    expect(pieces(surface, ring, true)).toEqual({ islands: 2, flat: 2 });
  });

  it("lets present seams stay or go, and looks at some islands alone", () => {
    const surface = sheet(4, undefined, 2);
    expect(pieces(surface, new Set(), true).islands).toBe(2);
    expect(pieces(surface, new Set(), false).islands).toBe(1);
    expect(pieces(surface, new Set(), true, new Set([1]))).toEqual({ islands: 1, flat: 1 });
  });

  it("takes empty table as one piece until it is cut", () => {
    const surface = sheet(4);
    (surface.geometry.getAttribute("_island").array as Float32Array).fill(-1);
    const bare = new SurfaceMesh(surface.geometry, surface.corners);
    const column = new Set([0, 1, 2, 3].map((j) => edge(bare, [2, j], [2, j + 1])));
    expect(pieces(bare, new Set(), true)).toEqual({ islands: 1, flat: 1 });
    expect(pieces(bare, column, true, new Set([-1]))).toEqual({ islands: 2, flat: 2 });
    expect(bare.edgeFrom(bare.names[5])).toBe(5);
  });

  it("says that what closes on itself cannot lie flat", () => {
    // A tetrahedron.
    const at = [
      [0, 0, 0],
      [1, 0, 0],
      [0, 1, 0],
      [0, 0, 1],
    ];
    const faces = [
      [0, 2, 1],
      [0, 1, 3],
      [1, 2, 3],
      [0, 3, 2],
    ];
    const mesh = new BufferGeometry();
    mesh.setAttribute(
      "position",
      new BufferAttribute(new Float32Array(faces.flat().flatMap((v) => at[v])), 3),
    );
    mesh.setAttribute("uv", new BufferAttribute(new Float32Array(24), 2));
    mesh.setAttribute("_island", new BufferAttribute(new Float32Array(12), 1));
    const surface = new SurfaceMesh(mesh, {
      corner: Int32Array.from({ length: 12 }, (_, i) => i),
      face: Int32Array.from([0, 1, 2, 3]),
      group: null,
    });
    expect(pieces(surface, new Set(), false)).toEqual({ islands: 1, flat: 0 });
    expect(pieces(surface, new Set([0]), false)).toEqual({ islands: 1, flat: 1 });
  });
});
