import { create } from "zustand";
import type { LayoutModel } from "./editor/layout/LayoutModel";
import type { BaseLayout } from "./editor/layout/BaseLayout";
import { apply, placementOf } from "./editor/geometry/transform";
import { tileCorner } from "./editor/table/tiles";

/** Painting how far rays reach: whether, with how much (0 to 1), and how wide the brush is, px on screen. */
export const usePaint = create<{
  on: boolean;
  value: number;
  width: number;
  fills: number;
  set: (some: Partial<{ on: boolean; value: number; width: number }>) => void;
  fill: () => void;
}>((set, get) => ({
  on: false,
  value: 0.25,
  width: 40,
  fills: 0,
  set: (some) => set(some),
  fill: () => set({ fills: get().fills + 1 }),
}));

/** Longer side of what is painted, px. */
const PAINTED = 512;

/** Width and height of the painting of a tile. */
export function paintedSize(width: number, height: number): [number, number] {
  const by = PAINTED / Math.max(width, height);
  return [Math.max(8, Math.round(width * by)), Math.max(8, Math.round(height * by))];
}

/** Grey of a weight, for a canvas. */
export const greyOf = (value: number) => {
  const step = Math.round(255 * value);
  return `rgb(${step},${step},${step})`;
};

/** Fill islands on the painting of a tile. */
export function fillIslands(
  pen: CanvasRenderingContext2D,
  base: BaseLayout,
  model: LayoutModel,
  islands: ReadonlySet<number>,
  tile: number,
  value: number,
): void {
  const { width, height } = pen.canvas;
  const [column, row] = tileCorner(tile);
  pen.fillStyle = pen.strokeStyle = greyOf(value);
  // A painted texel more all around: what is read between texels is the island's own.
  pen.lineWidth = 3;
  pen.lineJoin = "round";
  pen.beginPath();
  for (let t = 0; t < base.triangleIsland.length; t++) {
    const island = base.triangleIsland[t];
    if (!islands.has(island)) continue;
    const place = placementOf(model.placements, island);
    for (let k = 0; k < 3; k++) {
      const [u, v] = apply(place, base.corners[6 * t + 2 * k], base.corners[6 * t + 2 * k + 1]);
      const x = (u - column) * width,
        y = (1 - v + row) * height;
      if (k === 0) pen.moveTo(x, y);
      else pen.lineTo(x, y);
    }
    pen.closePath();
  }
  pen.fill();
  pen.stroke();
}
