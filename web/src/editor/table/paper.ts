import type { TableCamera } from "../camera/TableCamera";

export type Sheet = { number: number; label: string; width: number; height: number; note: string };

export type Palette = { paper: string; ink: string; soft: string; line: string; shadow: string; halo: string };

export const SIDE_TABLE = { gap: 0.1, width: 0.42 };

/** The sheets of paper, their specimen labels and the side table, under the islands. */
export function drawPaper(ctx: CanvasRenderingContext2D, camera: TableCamera, sheet: Sheet, aspect: [number, number], palette: Palette): void {
  const [left, top] = camera.toScreen(0, aspect[1]);
  const [right, bottom] = camera.toScreen(aspect[0], 0);
  const w = right - left;
  const h = bottom - top;
  ctx.save();
  ctx.shadowColor = palette.shadow;
  ctx.shadowBlur = 10;
  ctx.shadowOffsetY = 2;
  ctx.fillStyle = palette.paper;
  ctx.fillRect(left, top, w, h);
  ctx.restore();
  grid(ctx, camera, sheet, left, top, w, h, palette);
  specimenLabel(ctx, sheet, left, top, w, palette);
  sideTable(ctx, camera, aspect, palette);
}

function grid(ctx: CanvasRenderingContext2D, camera: TableCamera, sheet: Sheet, left: number, top: number, w: number, h: number, palette: Palette): void {
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

function specimenLabel(ctx: CanvasRenderingContext2D, sheet: Sheet, left: number, top: number, w: number, palette: Palette): void {
  ctx.textBaseline = "alphabetic";
  ctx.fillStyle = palette.ink;
  ctx.font = "600 14px 'Fraunces Variable', serif";
  ctx.textAlign = "left";
  const title = `${sheet.number} · ${sheet.label}`;
  ctx.fillText(title, left, top - 9);
  const used = ctx.measureText(title).width;
  ctx.font = "12px 'Atkinson Hyperlegible Next Variable', sans-serif";
  ctx.fillStyle = palette.soft;
  ctx.textAlign = "right";
  if (w > used + ctx.measureText(sheet.note).width + 24) ctx.fillText(sheet.note, left + w, top - 9);
}

function sideTable(ctx: CanvasRenderingContext2D, camera: TableCamera, aspect: [number, number], palette: Palette): void {
  const [left, top] = camera.toScreen(aspect[0] * (1 + SIDE_TABLE.gap) - 0.03, aspect[1]);
  const [right, bottom] = camera.toScreen(aspect[0] * (1 + SIDE_TABLE.gap + SIDE_TABLE.width), 0);
  ctx.save();
  ctx.strokeStyle = palette.soft;
  ctx.globalAlpha = 0.5;
  ctx.setLineDash([2, 5]);
  ctx.lineWidth = 1.5;
  ctx.beginPath();
  ctx.roundRect(left, top, right - left, bottom - top, 6);
  ctx.stroke();
  ctx.restore();
  if (right - left < 70) return;
  ctx.fillStyle = palette.soft;
  ctx.textAlign = "left";
  ctx.font = "600 13px 'Fraunces Variable', serif";
  ctx.fillText("Side table", left + 10, top - 9);
}
