/** Six numbers a, b, tu, c, d, tv: x' = a x + b y + tu, y' = c x + d y + tv. */
export type Transform = readonly [number, number, number, number, number, number];
export type Point = [number, number];

export const IDENTITY: Transform = [1, 0, 0, 0, 1, 0];

export const moving = (dx: number, dy: number): Transform => [1, 0, dx, 0, 1, dy];

/** Turned to the left by an angle in radians about a point; quarter turns are exact. */
export function turning(angle: number, [x, y]: Point): Transform {
  const exact = (value: number) =>
    Math.abs(value) < 1e-12 ? 0 : Math.abs(Math.abs(value) - 1) < 1e-12 ? Math.sign(value) : value;
  const c = exact(Math.cos(angle));
  const s = exact(Math.sin(angle));
  return [c, -s, x - c * x + s * y, s, c, y - s * x - c * y];
}

/** Larger by factors about a point; a negative one mirrors. */
export const sizing = (fx: number, fy: number, [x, y]: Point): Transform => [
  fx,
  0,
  x - fx * x,
  0,
  fy,
  y - fy * y,
];

/** `before` first, then `after`. */
export function compose(after: Transform, before: Transform): Transform {
  const [a, b, tu, c, d, tv] = after;
  const [e, f, su, g, h, sv] = before;
  return [
    a * e + b * g,
    a * f + b * h,
    a * su + b * sv + tu,
    c * e + d * g,
    c * f + d * h,
    c * su + d * sv + tv,
  ];
}

export function inverse([a, b, tu, c, d, tv]: Transform): Transform {
  const det = a * d - b * c;
  return [d / det, -b / det, (b * tv - d * tu) / det, -c / det, a / det, (c * tu - a * tv) / det];
}

export const apply = ([a, b, tu, c, d, tv]: Transform, x: number, y: number): Point => [
  a * x + b * y + tu,
  c * x + d * y + tv,
];

/** Area factor, negative when it mirrors. */
export const areaFactor = ([a, b, , c, d]: Transform): number => a * d - b * c;

/** The placement of an island as a transform. */
export function placementOf(placements: ArrayLike<number>, island: number): Transform {
  const i = island * 6;
  return [
    placements[i],
    placements[i + 1],
    placements[i + 2],
    placements[i + 3],
    placements[i + 4],
    placements[i + 5],
  ];
}
