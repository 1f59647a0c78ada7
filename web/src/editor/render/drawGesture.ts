import type { Bounds } from "../affine/affine";
import type { Editor } from "../Editor";
import type { Shape } from "../geometry/shape";
import { boundsAfter } from "../spatial/Outlines";
import type { Palette } from "../table/paper";
import { handles, type Handle } from "../tools/take/frame";

const PETROL = "#2E5E62";
const STRAW = "#E8C27A";
const FONT = "600 12px 'Atkinson Hyperlegible Next Variable', sans-serif";

/** The running-stitch frame round what is selected, with pins at its corners and one for turning. */
export function drawFrame(
  ctx: CanvasRenderingContext2D,
  editor: Editor,
  box: Bounds,
  palette: Palette,
): void {
  const at = handles(box, (x, y) => editor.camera.toScreen(x, y));
  const [[l, t], [r, b]] = [at.nw, at.se];
  ctx.lineWidth = 3;
  ctx.strokeStyle = palette.halo;
  ctx.strokeRect(l, t, r - l, b - t);
  ctx.setLineDash([6, 5]);
  ctx.lineWidth = 1.3;
  ctx.strokeStyle = palette.ink;
  ctx.strokeRect(l, t, r - l, b - t);
  ctx.setLineDash([]);
  ctx.beginPath();
  ctx.moveTo((l + r) / 2, t);
  ctx.lineTo(...at.turn);
  ctx.stroke();
  for (const [handle, [x, y]] of Object.entries(at) as [Handle, [number, number]][]) {
    ctx.beginPath();
    ctx.arc(x, y, handle === "turn" ? 5.5 : 4.5, 0, 7);
    ctx.fillStyle = handle === "turn" ? palette.halo : STRAW;
    ctx.fill();
    ctx.stroke();
  }
  const [x, y] = at.turn;
  ctx.beginPath();
  ctx.arc(x, y, 2.6, 0.6, 5.4);
  ctx.stroke();
}

/** While islands are moved: the outline of their box, how far the nearest island is, and what drew them. */
export function drawGesture(ctx: CanvasRenderingContext2D, editor: Editor, palette: Palette): void {
  const { gesture, camera, document } = editor;
  const { outlines } = gesture;
  if (!outlines) return;
  const box = boundsAfter(outlines.bounds, gesture.by);
  const [l, t] = camera.toScreen(box.minX, box.maxY);
  const [r, b] = camera.toScreen(box.maxX, box.minY);
  ctx.setLineDash([6, 5]);
  ctx.lineWidth = 1.3;
  ctx.strokeStyle = palette.ink;
  ctx.strokeRect(l, t, r - l, b - t);
  ctx.setLineDash([]);
  const tile = document.map.tileAt(0.5 * (box.minX + box.maxX), 0.5 * (box.minY + box.maxY));
  const px = document.map.pxPerUnit(tile);
  const near = gesture.nearest;
  if (gesture.laidOn.length)
    label(
      ctx,
      (l + r) / 2,
      t - 14,
      `lies on ${gesture.laidOn.length === 1 ? document.code(gesture.laidOn[0]) : `${gesture.laidOn.length} islands`}`,
      "#8C2F4B",
    );
  else if (near) {
    const from = camera.toScreen(near.x, near.y);
    const to = camera.toScreen(near.u, near.v);
    ctx.lineWidth = 2;
    ctx.strokeStyle = PETROL;
    ctx.beginPath();
    ctx.moveTo(...from);
    ctx.lineTo(...to);
    ctx.stroke();
    for (const [x, y] of [from, to]) dot(ctx, x, y);
    label(
      ctx,
      (from[0] + to[0]) / 2,
      Math.max(from[1], to[1]) + 16,
      `${(near.distance * px).toFixed(1)} px${gesture.snapped.includes("padding") ? " ✓ padding" : ""}`,
    );
  }
  if (tile) edges(ctx, editor, box, tile, px);
}

/** Distances to the two nearest edges of the sheet. */
function edges(
  ctx: CanvasRenderingContext2D,
  editor: Editor,
  box: Bounds,
  tile: number,
  px: number,
): void {
  const { camera, document, gesture } = editor;
  const sheet = document.map.sheet(tile);
  const [cx, cy] = [0.5 * (box.minX + box.maxX), 0.5 * (box.minY + box.maxY)];
  const across =
    box.minX - sheet.minX < sheet.maxX - box.maxX ? [box.minX, sheet.minX] : [box.maxX, sheet.maxX];
  const up =
    box.minY - sheet.minY < sheet.maxY - box.maxY ? [box.minY, sheet.minY] : [box.maxY, sheet.maxY];
  for (const [from, to, far] of [
    [
      camera.toScreen(across[0], cy),
      camera.toScreen(across[1], cy),
      Math.abs(across[0] - across[1]),
    ],
    [camera.toScreen(cx, up[0]), camera.toScreen(cx, up[1]), Math.abs(up[0] - up[1])],
  ] as [[number, number], [number, number], number][]) {
    ctx.lineWidth = 1;
    ctx.strokeStyle = PETROL;
    ctx.setLineDash([2, 3]);
    ctx.beginPath();
    ctx.moveTo(...from);
    ctx.lineTo(...to);
    ctx.stroke();
    ctx.setLineDash([]);
    const atMargin = Math.abs(far * px - document.margin) < 0.05;
    if (atMargin || Math.hypot(from[0] - to[0], from[1] - to[1]) > 26)
      label(
        ctx,
        (from[0] + to[0]) / 2,
        (from[1] + to[1]) / 2,
        `${(far * px).toFixed(1)} px${atMargin && gesture.snapped.includes("margin") ? " ✓ margin" : ""}`,
      );
  }
}

/** Why what is pressed does not move, at the pointer. */
export function drawHeld(ctx: CanvasRenderingContext2D, editor: Editor): void {
  const { gesture, camera, document } = editor;
  const model = document.model;
  if (!gesture.held.length || !model) return;
  const [x, y] = camera.toScreen(...model.anchorOf(gesture.held[0]));
  const what =
    gesture.held.length === 1 ? document.code(gesture.held[0]) : `${gesture.held.length} islands`;
  label(
    ctx,
    x,
    y - 16,
    `${what} ${gesture.held.length === 1 ? "is" : "are"} locked · L unlocks the place`,
    "#7A5A12",
  );
}

function dot(ctx: CanvasRenderingContext2D, x: number, y: number): void {
  ctx.beginPath();
  ctx.arc(x, y, 3, 0, 7);
  ctx.fillStyle = PETROL;
  ctx.fill();
}

function label(
  ctx: CanvasRenderingContext2D,
  x: number,
  y: number,
  text: string,
  back = PETROL,
): void {
  ctx.font = FONT;
  ctx.textAlign = "center";
  ctx.textBaseline = "middle";
  const w = ctx.measureText(text).width + 14;
  ctx.fillStyle = back;
  ctx.beginPath();
  ctx.roundRect(x - w / 2, y - 10, w, 20, 10);
  ctx.fill();
  ctx.fillStyle = "#FFFEFA";
  ctx.fillText(text, x, y + 0.5);
}

/** Where a brush passed, as wide as it is. */
export function drawBrush(
  ctx: CanvasRenderingContext2D,
  editor: Editor,
  shape: Shape,
  radius: number,
): void {
  ctx.beginPath();
  for (let k = 0; k < shape.length; k += 2)
    ctx.lineTo(...editor.camera.toScreen(shape[k], shape[k + 1]));
  ctx.lineWidth = 2 * radius;
  ctx.lineCap = ctx.lineJoin = "round";
  ctx.strokeStyle = "rgba(46,94,98,0.28)";
  ctx.stroke();
  ctx.lineWidth = 1;
  ctx.lineCap = "butt";
}

/** A line that is drawn by hand; for a region with its size in px. */
export function drawShape(
  ctx: CanvasRenderingContext2D,
  editor: Editor,
  shape: Shape,
  palette: Palette,
  region: boolean,
): void {
  ctx.beginPath();
  let [l, t, r, b] = [Infinity, Infinity, -Infinity, -Infinity];
  for (let k = 0; k < shape.length; k += 2) {
    const [x, y] = editor.camera.toScreen(shape[k], shape[k + 1]);
    ctx.lineTo(x, y);
    [l, t, r, b] = [Math.min(l, x), Math.min(t, y), Math.max(r, x), Math.max(b, y)];
  }
  ctx.closePath();
  ctx.fillStyle = region ? "rgba(232,194,122,0.28)" : "rgba(46,94,98,0.12)";
  ctx.fill();
  ctx.lineWidth = region ? 1.8 : 1.3;
  ctx.setLineDash(region ? [8, 5] : [4, 4]);
  ctx.strokeStyle = region ? PETROL : palette.ink;
  ctx.stroke();
  ctx.setLineDash([]);
  if (!region) return;
  const { map } = editor.document;
  const [x, y] = editor.camera.toTable((l + r) / 2, (t + b) / 2);
  const px = map.pxPerUnit(map.tileAt(x, y)) / editor.camera.scale;
  label(ctx, (l + r) / 2, t - 14, `${Math.round((r - l) * px)} × ${Math.round((b - t) * px)} px`);
}
