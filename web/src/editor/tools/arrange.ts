import type { Bounds } from "../affine/affine";
import { moving, type Transform } from "../geometry/transform";

export type Edge = "left" | "right" | "top" | "bottom" | "middle across" | "middle up";

/** How each box moves so that all have one edge, or their middles, in line with the box round them all. */
export function aligned(boxes: readonly Bounds[], edge: Edge): Transform[] {
  const all = round(boxes);
  return boxes.map((b) => {
    switch (edge) {
      case "left": return moving(all.minX - b.minX, 0);
      case "right": return moving(all.maxX - b.maxX, 0);
      case "bottom": return moving(0, all.minY - b.minY);
      case "top": return moving(0, all.maxY - b.maxY);
      case "middle across": return moving((all.minX + all.maxX - b.minX - b.maxX) / 2, 0);
      case "middle up": return moving(0, (all.minY + all.maxY - b.minY - b.maxY) / 2);
    }
  });
}

/** How each box moves so that they follow one another at a distance, in the order in which they lie; the first stays. */
export function inRow(boxes: readonly Bounds[], along: "across" | "up", distance: number): Transform[] {
  const [low, high] = along === "across" ? (["minX", "maxX"] as const) : (["minY", "maxY"] as const);
  const order = boxes.map((_, k) => k).sort((a, b) => boxes[a][low] - boxes[b][low]);
  const out: Transform[] = boxes.map(() => moving(0, 0));
  let next = boxes[order[0]]?.[low] ?? 0;
  for (const k of order) {
    const by = next - boxes[k][low];
    out[k] = along === "across" ? moving(by, 0) : moving(0, by);
    next += boxes[k][high] - boxes[k][low] + distance;
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
