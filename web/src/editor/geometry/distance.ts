/** The nearest points of two segments, and how far apart they are; 0 where they cross. */
export type Nearest = { distance: number; x: number; y: number; u: number; v: number };

/**
 * Segments stand as four numbers each (x0, y0, x1, y1) at `i` of `a` and `j` of `b`; null when they
 * are not nearer than `below`.
 */
export function nearestOf(
  a: ArrayLike<number>,
  i: number,
  b: ArrayLike<number>,
  j: number,
  below: number,
): Nearest | null {
  const [ax, ay, bx, by] = [a[i], a[i + 1], a[i + 2], a[i + 3]];
  const [cx, cy, dx, dy] = [b[j], b[j + 1], b[j + 2], b[j + 3]];
  const gx = Math.max(Math.min(ax, bx) - Math.max(cx, dx), Math.min(cx, dx) - Math.max(ax, bx), 0);
  const gy = Math.max(Math.min(ay, by) - Math.max(cy, dy), Math.min(cy, dy) - Math.max(ay, by), 0);
  let best = below * below;
  if (gx * gx + gy * gy >= best) return null;
  const crossing = crossingOf(ax, ay, bx, by, cx, cy, dx, dy);
  if (crossing)
    return { distance: 0, x: crossing[0], y: crossing[1], u: crossing[0], v: crossing[1] };
  let found: Nearest | null = null;
  const look = (
    px: number,
    py: number,
    sx: number,
    sy: number,
    ex: number,
    ey: number,
    first: boolean,
  ) => {
    const lx = ex - sx;
    const ly = ey - sy;
    const length = lx * lx + ly * ly;
    const t = length > 0 ? Math.min(1, Math.max(0, ((px - sx) * lx + (py - sy) * ly) / length)) : 0;
    const qx = sx + t * lx;
    const qy = sy + t * ly;
    const d = (px - qx) ** 2 + (py - qy) ** 2;
    if (d >= best) return;
    best = d;
    found = first
      ? { distance: d, x: px, y: py, u: qx, v: qy }
      : { distance: d, x: qx, y: qy, u: px, v: py };
  };
  look(ax, ay, cx, cy, dx, dy, true);
  look(cx, cy, ax, ay, bx, by, false);
  look(bx, by, cx, cy, dx, dy, true);
  look(dx, dy, ax, ay, bx, by, false);
  return found && { ...(found as Nearest), distance: Math.sqrt((found as Nearest).distance) };
}

/** Where two segments cross, other than at grazing ends. */
function crossingOf(
  ax: number,
  ay: number,
  bx: number,
  by: number,
  cx: number,
  cy: number,
  dx: number,
  dy: number,
): [number, number] | null {
  const side = (px: number, py: number, qx: number, qy: number, rx: number, ry: number) =>
    (qx - px) * (ry - py) - (qy - py) * (rx - px);
  if (
    side(cx, cy, dx, dy, ax, ay) * side(cx, cy, dx, dy, bx, by) >= 0 ||
    side(ax, ay, bx, by, cx, cy) * side(ax, ay, bx, by, dx, dy) >= 0
  )
    return null;
  const t =
    ((cx - ax) * (dy - cy) - (cy - ay) * (dx - cx)) /
    ((bx - ax) * (dy - cy) - (by - ay) * (dx - cx));
  return [ax + t * (bx - ax), ay + t * (by - ay)];
}
