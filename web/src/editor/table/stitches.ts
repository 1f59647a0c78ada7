import type { Bounds } from "../affine/affine";
import type { TableCamera } from "../camera/TableCamera";
import type { LayoutModel } from "../layout/LayoutModel";
import type { Palette } from "./paper";

const MOST_STITCHED = 400;

/** The running stitch around selected islands: dashed ink with a light halo. */
export function drawStitches(
  ctx: CanvasRenderingContext2D,
  camera: TableCamera,
  model: LayoutModel,
  selected: number[],
  palette: Palette,
): void {
  const path = new Path2D();
  for (const island of selected.slice(0, MOST_STITCHED)) {
    if (!model.bounds[island] || !inView(camera, model.bounds[island])) continue;
    for (const ring of model.rings(island)) {
      for (let i = 0; i < ring.length; i += 2) {
        const [sx, sy] = camera.toScreen(...model.place(island, ring[i], ring[i + 1]));
        if (i === 0) path.moveTo(sx, sy);
        else path.lineTo(sx, sy);
      }
    }
  }
  ctx.lineJoin = "round";
  ctx.lineCap = "round";
  ctx.strokeStyle = palette.halo;
  ctx.lineWidth = 4;
  ctx.stroke(path);
  ctx.setLineDash([5, 4]);
  ctx.strokeStyle = palette.ink;
  ctx.lineWidth = 1.6;
  ctx.stroke(path);
  ctx.setLineDash([]);
}

export function inView(camera: TableCamera, b: Bounds): boolean {
  const [left, top] = camera.toScreen(b.minX, b.maxY);
  const [right, bottom] = camera.toScreen(b.maxX, b.minY);
  return right >= 0 && bottom >= 0 && left <= camera.width && top <= camera.height;
}

/** Whether there is room for a label on an island of this width and height in px. */
export const labelFits = (width: number, height: number): boolean =>
  width >= 30 && height >= 14 && width * height >= 900;

/** A short text in the middle of each island that has room for it. */
export function drawLabels(
  ctx: CanvasRenderingContext2D,
  camera: TableCamera,
  model: LayoutModel,
  anchors: Float32Array,
  text: (island: number) => string,
  palette: Palette,
): void {
  ctx.font = "600 10px 'Atkinson Hyperlegible Next Variable', sans-serif";
  ctx.textAlign = "center";
  ctx.textBaseline = "middle";
  ctx.fillStyle = palette.ink;
  ctx.strokeStyle = palette.halo;
  ctx.lineWidth = 2.5;
  const taken = new Set<string>();
  model.bounds.forEach((b, island) => {
    const w = (b.maxX - b.minX) * camera.scale;
    const h = (b.maxY - b.minY) * camera.scale;
    if (!labelFits(w, h) || !inView(camera, b)) return;
    const label = text(island);
    if (!label) return;
    const [sx, sy] = camera.toScreen(
      ...model.place(island, anchors[2 * island], anchors[2 * island + 1]),
    );
    const cell = `${Math.round(sx / 34)},${Math.round(sy / 14)}`;
    if (taken.has(cell)) return;
    taken.add(cell);
    ctx.globalAlpha = 0.65;
    ctx.strokeText(label, sx, sy);
    ctx.globalAlpha = 1;
    ctx.fillText(label, sx, sy);
  });
}
