import type { BaseLayout } from "../layout/BaseLayout";

/** Squares at x, y of a side, as islands that lie where they are; for tests. */
export function squares(rows: [number, number, number][]): [BaseLayout, Float32Array] {
  const outline = ([x, y, s]: [number, number, number]) => [
    x,
    y,
    x + s,
    y,
    x + s,
    y,
    x + s,
    y + s,
    x + s,
    y + s,
    x,
    y + s,
    x,
    y + s,
    x,
    y,
  ];
  const faces = ([x, y, s]: [number, number, number]) => [
    x,
    y,
    x + s,
    y,
    x + s,
    y + s,
    x,
    y,
    x + s,
    y + s,
    x,
    y + s,
  ];
  const base: BaseLayout = {
    count: rows.length,
    corners: Float32Array.from(rows.flatMap(faces)),
    triangleIsland: Int32Array.from(rows.flatMap((_, i) => [i, i])),
    edges: Float32Array.from(rows.flatMap(outline)),
    edgeIsland: Int32Array.from(rows.flatMap((_, i) => [i, i, i, i])),
  };
  return [base, Float32Array.from(rows.flatMap(() => [1, 0, 0, 0, 1, 0]))];
}
