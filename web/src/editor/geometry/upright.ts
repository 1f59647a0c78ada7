/** Edges four numbers each. */
type Edges = ArrayLike<number>;

const QUARTER = Math.PI / 2;

/** Smallest turn, in radians to the left and at most an eighth, that brings a direction to an axis. */
export function toAxis(angle: number): number {
  const rest = ((angle % QUARTER) + QUARTER) % QUARTER;
  return rest > QUARTER / 2 ? QUARTER - rest : -rest;
}

/**
 * The direction of the longest straight piece of an outline, in radians; edges in one line count
 * together wherever they lie. Null without edges.
 */
export function longestDirection(edges: Edges): number | null {
  const lengths = new Map<number, { length: number; x: number; y: number }>();
  for (let k = 0; k + 3 < edges.length; k += 4) {
    let [x, y] = [edges[k + 2] - edges[k], edges[k + 3] - edges[k + 1]];
    if (y < 0 || (y === 0 && x < 0)) [x, y] = [-x, -y];
    const length = Math.hypot(x, y);
    if (!length) continue;
    // Half a degree, and the line's distance from the origin, tell straight pieces apart.
    const angle = Math.round((Math.atan2(y, x) / Math.PI) * 360);
    const line = Math.round((edges[k] * y - edges[k + 1] * x) / length / 1e-4);
    const key = angle * 1e7 + line;
    const row = lengths.get(key) ?? lengths.set(key, { length: 0, x: 0, y: 0 }).get(key)!;
    row.length += length;
    row.x += x;
    row.y += y;
  }
  let best: { length: number; x: number; y: number } | null = null;
  for (const row of lengths.values()) if (!best || row.length > best.length) best = row;
  return best && Math.atan2(best.y, best.x);
}

/**
 * How far the main direction of an outline is off the axes, in radians to the left and at most an
 * eighth; null when it has none, like a circle.
 */
export function crookedBy(edges: Edges): number | null {
  let [re, im, all] = [0, 0, 0];
  for (let k = 0; k + 3 < edges.length; k += 4) {
    const [x, y] = [edges[k + 2] - edges[k], edges[k + 3] - edges[k + 1]];
    const length = Math.hypot(x, y);
    const angle = 4 * Math.atan2(y, x);
    re += length * Math.cos(angle);
    im += length * Math.sin(angle);
    all += length;
  }
  return all > 0 && Math.hypot(re, im) > 0.4 * all ? Math.atan2(im, re) / 4 : null;
}
