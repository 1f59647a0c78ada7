/** Placements are 6 numbers per island: a, b, tu, c, d, tv, so that u' = a u + b v + tu, v' = c u + d v + tv. */

export type Bounds = { minX: number; minY: number; maxX: number; maxY: number };

export const NOWHERE: Bounds = { minX: Infinity, minY: Infinity, maxX: -Infinity, maxY: -Infinity };

export function applyX(p: Float32Array, island: number, u: number, v: number): number {
  const i = island * 6;
  return p[i] * u + p[i + 1] * v + p[i + 2];
}

export function applyY(p: Float32Array, island: number, u: number, v: number): number {
  const i = island * 6;
  return p[i + 3] * u + p[i + 4] * v + p[i + 5];
}

/** Area factor of a placement, negative when it mirrors. */
export function determinant(p: Float32Array, island: number): number {
  const i = island * 6;
  return p[i] * p[i + 4] - p[i + 1] * p[i + 3];
}

/** Placements on the way from one layout to another; `t` from 0 to 1. */
export function between(from: Float32Array, to: Float32Array, t: number): Float32Array {
  if (from.length !== to.length) return to;
  const out = new Float32Array(to.length);
  for (let i = 0; i < out.length; i++) out[i] = from[i] + (to[i] - from[i]) * t;
  return out;
}

export function union(a: Bounds, b: Bounds): Bounds {
  return {
    minX: Math.min(a.minX, b.minX),
    minY: Math.min(a.minY, b.minY),
    maxX: Math.max(a.maxX, b.maxX),
    maxY: Math.max(a.maxY, b.maxY),
  };
}

export function meets(a: Bounds, b: Bounds): boolean {
  return a.minX <= b.maxX && b.minX <= a.maxX && a.minY <= b.maxY && b.minY <= a.maxY;
}

export function inTriangle(x: number, y: number, t: ArrayLike<number>): boolean {
  const side = (i: number, j: number) =>
    (t[j] - t[i]) * (y - t[i + 1]) - (t[j + 1] - t[i + 1]) * (x - t[i]);
  const a = side(0, 2);
  const b = side(2, 4);
  const c = side(4, 0);
  return (a >= 0 && b >= 0 && c >= 0) || (a <= 0 && b <= 0 && c <= 0);
}
