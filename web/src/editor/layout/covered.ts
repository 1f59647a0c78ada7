import type { Bounds } from "../affine/affine";

const NEAR = 0.02;

/** Islands that lie on an earlier one of their stack: what is printed on that one counts for all. */
export function coveredIslands(bounds: Bounds[], stack: readonly number[]): Uint8Array {
  const out = new Uint8Array(bounds.length);
  const leaders = new Map<number, Bounds[]>();
  bounds.forEach((b, island) => {
    if ((stack[island] ?? -1) < 0) return;
    const shown = leaders.get(stack[island]) ?? [];
    if (shown.some((other) => near(b, other))) out[island] = 1;
    else leaders.set(stack[island], [...shown, b]);
  });
  return out;
}

function near(a: Bounds, b: Bounds): boolean {
  const reach = NEAR * Math.max(a.maxX - a.minX, a.maxY - a.minY);
  return [a.minX - b.minX, a.minY - b.minY, a.maxX - b.maxX, a.maxY - b.maxY].every(
    (d) => Math.abs(d) <= reach,
  );
}
