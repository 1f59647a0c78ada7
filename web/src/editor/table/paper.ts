import type { TableCamera } from "../camera/TableCamera";
import type { TableMap } from "./TableMap";

export type Sheet = {
  number: number;
  label: string;
  width: number;
  height: number;
  note: string;
  /** Whether its figures are of another layout than the one that is shown. */
  old: boolean;
  frozen: boolean;
};

export type Palette = {
  paper: string;
  ink: string;
  soft: string;
  line: string;
  shadow: string;
  halo: string;
};

/** The side table lies to the left of the sheets, in tile widths. */
export const SIDE_TABLE = { left: -0.5, right: -0.05 };

/** The sheets of paper, their specimen labels and the side table, under the islands. */
export function drawPaper(
  ctx: CanvasRenderingContext2D,
  camera: TableCamera,
  sheets: Sheet[],
  map: TableMap,
  palette: Palette,
): void {
  for (const sheet of sheets) {
    const on = map.sheet(sheet.number);
    const [left, top] = camera.toScreen(on.minX, on.maxY);
    const [right, bottom] = camera.toScreen(on.maxX, on.minY);
    const w = right - left;
    const h = bottom - top;
    if (right < 0 || left > camera.width || bottom < -30 || top > camera.height + 30) continue;
    ctx.save();
    ctx.shadowColor = palette.shadow;
    ctx.shadowBlur = 10;
    ctx.shadowOffsetY = 2;
    ctx.fillStyle = palette.paper;
    ctx.fillRect(left, top, w, h);
    ctx.restore();
    grid(ctx, camera, sheet, left, top, w, h, palette);
    if (sheet.frozen) frost(ctx, left, top, w, h, palette);
    if (sheets.length > 1) {
      ctx.strokeStyle = palette.soft;
      ctx.lineWidth = 1;
      ctx.strokeRect(left + 0.5, top + 0.5, w - 1, h - 1);
    }
    if (!hasAbove(sheets, sheet)) specimenLabel(ctx, sheet, left, top, w, palette);
  }
  sideTable(ctx, camera, map.first, palette);
}

const hasAbove = (sheets: Sheet[], sheet: Sheet) =>
  sheets.some((other) => other.number === sheet.number + 10);

/** Labels of sheets that have another one above them lie on the sheet, over its islands. */
export function drawInnerLabels(
  ctx: CanvasRenderingContext2D,
  camera: TableCamera,
  sheets: Sheet[],
  map: TableMap,
  palette: Palette,
): void {
  for (const sheet of sheets.filter((one) => hasAbove(sheets, one))) {
    const on = map.sheet(sheet.number);
    const [left, top] = camera.toScreen(on.minX, on.maxY);
    ctx.font = "600 12px 'Fraunces Variable', serif";
    ctx.textAlign = "left";
    ctx.textBaseline = "alphabetic";
    ctx.lineWidth = 4;
    ctx.strokeStyle = palette.halo;
    ctx.fillStyle = palette.ink;
    const title = `${sheet.number}${sheet.label ? ` · ${sheet.label}` : ""}${sheet.frozen ? " · frozen" : ""}`;
    ctx.strokeText(title, left + 5, top + 16);
    ctx.fillText(title, left + 5, top + 16);
  }
}

/** A frozen sheet is hatched lightly, and says so on its label. */
function frost(
  ctx: CanvasRenderingContext2D,
  left: number,
  top: number,
  w: number,
  h: number,
  palette: Palette,
): void {
  ctx.save();
  ctx.beginPath();
  ctx.rect(left, top, w, h);
  ctx.clip();
  ctx.strokeStyle = palette.line;
  ctx.lineWidth = 1;
  ctx.beginPath();
  for (let x = left - h; x < left + w; x += 14) {
    ctx.moveTo(x, top + h);
    ctx.lineTo(x + h, top);
  }
  ctx.stroke();
  ctx.restore();
}

function grid(
  ctx: CanvasRenderingContext2D,
  camera: TableCamera,
  sheet: Sheet,
  left: number,
  top: number,
  w: number,
  h: number,
  palette: Palette,
): void {
  const texel = w / sheet.width;
  ctx.strokeStyle = palette.line;
  ctx.lineWidth = 1;
  const columns = texel >= 6 ? sheet.width : 8;
  const step = w / columns;
  const rows = Math.round(h / step);
  ctx.globalAlpha = 0.55;
  ctx.beginPath();
  const firstX = Math.max(1, Math.floor(-left / step));
  for (let i = firstX; i < columns && left + i * step < camera.width; i++) {
    ctx.moveTo(Math.round(left + i * step) + 0.5, Math.max(0, top));
    ctx.lineTo(Math.round(left + i * step) + 0.5, Math.min(camera.height, top + h));
  }
  const firstY = Math.max(1, Math.floor(-top / step));
  for (let i = firstY; i < rows && top + i * step < camera.height; i++) {
    ctx.moveTo(Math.max(0, left), Math.round(top + i * step) + 0.5);
    ctx.lineTo(Math.min(camera.width, left + w), Math.round(top + i * step) + 0.5);
  }
  ctx.stroke();
  ctx.globalAlpha = 1;
}

function specimenLabel(
  ctx: CanvasRenderingContext2D,
  sheet: Sheet,
  left: number,
  top: number,
  w: number,
  palette: Palette,
): void {
  ctx.textBaseline = "alphabetic";
  ctx.fillStyle = palette.ink;
  ctx.font = "600 14px 'Fraunces Variable', serif";
  ctx.textAlign = "left";
  const title = fitting(
    ctx,
    `${sheet.number}${sheet.label ? ` · ${sheet.label}` : ""}${sheet.frozen ? " · frozen" : ""}`,
    w - 8,
  );
  ctx.fillText(title, left + 3, top - 9);
  const used = ctx.measureText(title).width;
  ctx.font = `${sheet.old ? "italic " : ""}12px 'Atkinson Hyperlegible Next Variable', sans-serif`;
  ctx.fillStyle = palette.soft;
  ctx.textAlign = "right";
  // As much of the note as there is room for, its first part being the resolution.
  const parts = sheet.note.split(" · ");
  while (parts.length && w <= used + ctx.measureText(parts.join(" · ")).width + 24) parts.pop();
  ctx.fillText(parts.join(" · "), left + w - 3, top - 9);
}

/** The text, or as much of its beginning as there is room for. */
function fitting(ctx: CanvasRenderingContext2D, text: string, room: number): string {
  let short = text;
  while (short.length > 4 && ctx.measureText(short).width > room) short = short.slice(0, -1);
  return short;
}

function sideTable(
  ctx: CanvasRenderingContext2D,
  camera: TableCamera,
  aspect: [number, number],
  palette: Palette,
): void {
  const [left, top] = camera.toScreen(aspect[0] * SIDE_TABLE.left, aspect[1]);
  const [right, bottom] = camera.toScreen(aspect[0] * SIDE_TABLE.right, 0);
  ctx.save();
  ctx.strokeStyle = palette.soft;
  ctx.globalAlpha = 0.5;
  ctx.setLineDash([2, 5]);
  ctx.lineWidth = 1.5;
  ctx.beginPath();
  ctx.roundRect(left, top, right - left, bottom - top, 6);
  ctx.stroke();
  ctx.restore();
  if (right - Math.max(left, 0) < 70) return;
  ctx.fillStyle = palette.soft;
  ctx.textAlign = "left";
  ctx.font = "600 13px 'Fraunces Variable', serif";
  ctx.fillText("Side table", Math.max(left, 0) + 10, top - 9);
}
