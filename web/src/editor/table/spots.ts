import * as format from "../../format";
import type { TableCamera } from "../camera/TableCamera";
import type { Finding } from "../../api/client";
import type { Palette } from "./paper";
import type { TableMap } from "./TableMap";

const RING = 11;

/** Where a finding lies: a chalk ring around each spot; between the two spots of a gap its length. */
export function drawSpots(
  ctx: CanvasRenderingContext2D,
  camera: TableCamera,
  finding: Finding,
  map: TableMap,
  palette: Palette,
): void {
  const spots = finding.spots.map(([u, v]) => camera.toScreen(...map.place(u, v, finding.tile)));
  ctx.lineCap = "round";
  for (const [colour, width] of [
    [palette.halo, 5],
    ["#8C2F4B", 2],
  ] as const) {
    ctx.strokeStyle = colour;
    ctx.lineWidth = width;
    ctx.beginPath();
    if (finding.kind.endsWith("gap") && spots.length === 2) {
      ctx.moveTo(...spots[0]);
      ctx.lineTo(...spots[1]);
    }
    for (const [x, y] of spots) {
      ctx.moveTo(x + RING, y);
      ctx.arc(x, y, RING, 0, 7);
    }
    ctx.stroke();
  }
  if (!spots.length || finding.amount === null) return;
  const [x, y] = spots[0];
  ctx.font = "700 11.5px 'Atkinson Hyperlegible Next Variable', sans-serif";
  ctx.textBaseline = "middle";
  ctx.lineWidth = 4;
  ctx.strokeStyle = palette.halo;
  ctx.fillStyle = "#8C2F4B";
  const text = amountText(finding);
  const room = camera.width - x - RING - 9 > ctx.measureText(text).width;
  ctx.textAlign = room ? "left" : "right";
  const at = room ? x + RING + 5 : x - RING - 5;
  ctx.strokeText(text, at, y - RING);
  ctx.fillText(text, at, y - RING);
}

const UNITS: Record<string, string> = { texel: "texels", px: "px", "px/m": "px/m", times: "× L2" };

/** The amount of a finding with its unit; counts are left to the words. */
export function amountText(finding: Finding): string {
  const unit = UNITS[finding.unit];
  if (!unit || finding.amount === null) return "";
  if (finding.unit === "px/m") return format.densityIn(finding.amount);
  const value =
    finding.amount >= 1000
      ? Math.round(finding.amount).toLocaleString("en-GB")
      : String(Number(finding.amount.toPrecision(3)));
  return `${value} ${unit}`;
}
