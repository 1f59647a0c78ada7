import type { Bounds } from "../affine/affine";
import { moving, type Transform } from "../geometry/transform";

export type Edge = "left" | "right" | "top" | "bottom" | "middle across" | "middle up";

/** How each box moves so that all have one edge, or their middles, in line with the box round them all. */
export function aligned(boxes: readonly Bounds[], edge: Edge): Transform[] {
  const all = round(boxes);
  return boxes.map((b) => {
    switch (edge) {
      case "left":
        return moving(all.minX - b.minX, 0);
      case "right":
        return moving(all.maxX - b.maxX, 0);
      case "bottom":
        return moving(0, all.minY - b.minY);
      case "top":
        return moving(0, all.maxY - b.maxY);
      case "middle across":
        return moving((all.minX + all.maxX - b.minX - b.maxX) / 2, 0);
      case "middle up":
        return moving(0, (all.minY + all.maxY - b.minY - b.maxY) / 2);
    }
  });
}

/**
 * How each box moves so that they follow one another at a distance, in the order in which they lie;
 * the first stays.
 */
export function inRow(
  boxes: readonly Bounds[],
  along: "across" | "up",
  distance: number,
): Transform[] {
  const low = along === "across" ? "minX" : "minY";
  return inOrder(
    boxes,
    boxes.map((_, k) => k).sort((a, b) => boxes[a][low] - boxes[b][low]),
    along,
    distance,
  );
}

/** The same in a given order; the row begins where the lowest of them begins. */
export function inOrder(
  boxes: readonly Bounds[],
  order: readonly number[],
  along: "across" | "up",
  distance: number,
): Transform[] {
  const [low, high] =
    along === "across" ? (["minX", "maxX"] as const) : (["minY", "maxY"] as const);
  const out: Transform[] = boxes.map(() => moving(0, 0));
  let next = boxes.reduce((least, b) => Math.min(least, b[low]), Infinity);
  for (const k of order) {
    const by = next - boxes[k][low];
    out[k] = along === "across" ? moving(by, 0) : moving(0, by);
    next += boxes[k][high] - boxes[k][low] + distance;
  }
  return out;
}

/**
 * Boxes in rows of a width, the largest first, from the upper edge of a place downwards and from
 * its right edge to the left.
 */
export function laidOut(
  boxes: readonly Bounds[],
  order: readonly number[],
  place: Bounds,
  distance: number,
): Transform[] {
  const out: Transform[] = boxes.map(() => moving(0, 0));
  let [x, y, row] = [place.maxX, place.maxY, 0];
  for (const k of order) {
    const b = boxes[k];
    const [w, h] = [b.maxX - b.minX, b.maxY - b.minY];
    if (x < place.maxX && x - w < place.minX) [x, y, row] = [place.maxX, y - row - distance, 0];
    out[k] = moving(x - w - b.minX, y - h - b.minY);
    x -= w + distance;
    row = Math.max(row, h);
  }
  return out;
}

/** Two boxes change places, middle for middle. */
export function swapped([a, b]: readonly Bounds[]): Transform[] {
  const dx = (b.minX + b.maxX - a.minX - a.maxX) / 2;
  const dy = (b.minY + b.maxY - a.minY - a.maxY) / 2;
  return [moving(dx, dy), moving(-dx, -dy)];
}

const round = (boxes: readonly Bounds[]): Bounds => ({
  minX: Math.min(...boxes.map((b) => b.minX)),
  minY: Math.min(...boxes.map((b) => b.minY)),
  maxX: Math.max(...boxes.map((b) => b.maxX)),
  maxY: Math.max(...boxes.map((b) => b.maxY)),
});
