import type { Bounds } from "../../affine/affine";
import type { Point } from "../../geometry/transform";

export type Handle = "turn" | "nw" | "ne" | "se" | "sw";

const REACH_PX = 9;
/** The pin for turning stands so far above the frame. */
const PIN_PX = 22;
/** Screen px between the islands and the frame. */
const ROOM_PX = 5;

/** The pins of a frame stand at least so far apart: what is small between them can still be taken. */
const LEAST_PX = 46;

const roomFor = (size: number): number => Math.max(ROOM_PX, (LEAST_PX - size) / 2);

/** Handles of the frame round what is selected, on the screen (y down). */
export function handles(
  b: Bounds,
  toScreen: (x: number, y: number) => Point,
): Record<Handle, Point> {
  const [left, top] = toScreen(b.minX, b.maxY);
  const [right, bottom] = toScreen(b.maxX, b.minY);
  const [wide, high] = [roomFor(right - left), roomFor(bottom - top)];
  const [l, t, r, d] = [left - wide, top - high, right + wide, bottom + high];
  return { nw: [l, t], ne: [r, t], se: [r, d], sw: [l, d], turn: [(l + r) / 2, t - PIN_PX] };
}

/** The handle under a point of the screen, null for none. */
export function handleAt(
  b: Bounds,
  toScreen: (x: number, y: number) => Point,
  sx: number,
  sy: number,
): Handle | null {
  const all = Object.entries(handles(b, toScreen)) as [Handle, Point][];
  return all.find(([, [x, y]]) => Math.hypot(x - sx, y - sy) <= REACH_PX)?.[0] ?? null;
}

/** The corner that stays where it is when one is drawn. */
export function opposite(b: Bounds, handle: Handle): Point {
  return [
    handle === "nw" || handle === "sw" ? b.maxX : b.minX,
    handle === "nw" || handle === "ne" ? b.minY : b.maxY,
  ];
}

export function corner(b: Bounds, handle: Handle): Point {
  return [
    handle === "nw" || handle === "sw" ? b.minX : b.maxX,
    handle === "nw" || handle === "ne" ? b.maxY : b.minY,
  ];
}

export const middle = (b: Bounds): Point => [(b.minX + b.maxX) / 2, (b.minY + b.maxY) / 2];
