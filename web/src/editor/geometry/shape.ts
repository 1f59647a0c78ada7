/** Shapes drawn by hand: x, y of their corners, closed from the last to the first. */
export type Shape = readonly number[];

/** Whether a point lies inside, by counting the sides to its right. */
export function inShape(x: number, y: number, shape: Shape): boolean {
  let inside = false;
  for (let k = 0, before = shape.length - 2; k < shape.length; before = k, k += 2) {
    const [ax, ay, bx, by] = [shape[before], shape[before + 1], shape[k], shape[k + 1]];
    if (ay > y !== by > y && x < ax + ((y - ay) / (by - ay)) * (bx - ax)) inside = !inside;
  }
  return inside;
}

/** Whether a segment crosses a side. */
export function crosses(ax: number, ay: number, bx: number, by: number, shape: Shape): boolean {
  for (let k = 0, before = shape.length - 2; k < shape.length; before = k, k += 2) {
    const [cx, cy, dx, dy] = [shape[before], shape[before + 1], shape[k], shape[k + 1]];
    if (
      side(ax, ay, bx, by, cx, cy) * side(ax, ay, bx, by, dx, dy) < 0 &&
      side(cx, cy, dx, dy, ax, ay) * side(cx, cy, dx, dy, bx, by) < 0
    )
      return true;
  }
  return false;
}

/** Fewer corners: those nearer than `least` to the one before are left out. */
export function thinned(shape: Shape, least: number): number[] {
  const out: number[] = [];
  for (let k = 0; k < shape.length; k += 2) {
    const n = out.length;
    if (n && Math.hypot(shape[k] - out[n - 2], shape[k + 1] - out[n - 1]) < least) continue;
    out.push(shape[k], shape[k + 1]);
  }
  return out;
}

const side = (ax: number, ay: number, bx: number, by: number, x: number, y: number) =>
  (bx - ax) * (y - ay) - (by - ay) * (x - ax);
