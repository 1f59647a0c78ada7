import type { Bounds } from "../affine/affine";
import { moving } from "../geometry/transform";
import { Signal, type Heard } from "../signal";
import { boundsAfter, type Contact, type Outlines } from "../spatial/Outlines";

export const SNAPS = ["padding", "margin", "edges", "centres", "texels", "grid"] as const;
export type SnapKind = (typeof SNAPS)[number];

/** Where a group is moved to, what made it stay there, and the nearest island there. */
export type Snapped = { dx: number; dy: number; by: SnapKind[]; nearest: Contact | null };

/** What a group can snap to: distances in table units, px of the sheet in each of them. */
export type Room = {
  sheet: Bounds | null;
  boxes: Bounds[];
  padding: number;
  margin: number;
  texel: number;
};

/** px of the grid that islands snap to; at first it is off. */
const GRID = 64;
const ROUNDS = 8;
const EXACT = 1e-7;

/** Snapping while something is dragged: each kind can be switched off, a key suspends all. */
export class SnapManager {
  private readonly raised = new Signal();
  readonly signal: Heard = this.raised;
  private off = new Set<SnapKind>(["grid"]);

  isOn(kind: SnapKind): boolean {
    return !this.off.has(kind);
  }

  toggle(kind: SnapKind): void {
    if (!this.off.delete(kind)) this.off.add(kind);
    this.raised.raise();
  }

  /** The wanted move, or a near one that snaps; `reach` is how far it may be pulled. */
  snap(
    group: Outlines,
    dx: number,
    dy: number,
    room: Room,
    reach: number,
    suspended: boolean,
  ): Snapped {
    const far = 3 * room.padding + reach;
    const plain = () => ({
      dx,
      dy,
      by: [],
      nearest: group.exact ? group.nearest(moving(dx, dy), far) : null,
    });
    if (suspended) return plain();
    const by: SnapKind[] = [];
    const [sx, alongX] = this.alongAxis(group, dx, dy, "X", room, reach);
    const [sy, alongY] = this.alongAxis(group, dx, dy, "Y", room, reach);
    let [x, y] = [dx + sx, dy + sy];
    for (const kind of [alongX, alongY]) if (kind && !by.includes(kind)) by.push(kind);
    const padded =
      this.isOn("padding") && group.exact
        ? toPadding(group, dx, dy, x, y, alongX, alongY, room.padding, reach)
        : null;
    if (padded) {
      [x, y] = padded.at;
      by.splice(0, by.length, ...new Set<SnapKind>([...padded.kept, "padding"]));
    } else if ((this.isOn("texels") || this.isOn("grid")) && room.texel > 0) {
      // What no line draws goes to the grid, or to whole texels.
      const step = this.isOn("grid") ? GRID * room.texel : room.texel;
      const b = boundsAfter(group.bounds, moving(x, y));
      const from = room.sheet ?? { minX: 0, minY: 0 };
      if (!alongX) x += whole(b.minX - from.minX, step);
      if (!alongY) y += whole(b.minY - from.minY, step);
      if (!alongX || !alongY) by.push(this.isOn("grid") ? "grid" : "texels");
    }
    return { dx: x, dy: y, by, nearest: group.exact ? group.nearest(moving(x, y), far) : null };
  }

  /** How far to go along an axis to the nearest line that draws, and what it is. */
  private alongAxis(
    group: Outlines,
    dx: number,
    dy: number,
    axis: "X" | "Y",
    room: Room,
    reach: number,
  ): [number, SnapKind | null] {
    const b = boundsAfter(group.bounds, moving(dx, dy));
    const [low, high] = [b[`min${axis}`], b[`max${axis}`]];
    let best: [number, SnapKind | null] = [0, null];
    let least = reach;
    const offer = (shift: number, kind: SnapKind) => {
      if (!this.isOn(kind) || Math.abs(shift) >= least) return;
      least = Math.abs(shift);
      best = [shift, kind];
    };
    if (room.sheet) {
      offer(room.sheet[`min${axis}`] + room.margin - low, "margin");
      offer(room.sheet[`max${axis}`] - room.margin - high, "margin");
      offer(0.5 * (room.sheet[`min${axis}`] + room.sheet[`max${axis}`] - low - high), "centres");
    }
    for (const box of room.boxes) {
      offer(box[`min${axis}`] - low, "edges");
      offer(box[`max${axis}`] - high, "edges");
      offer(0.5 * (box[`min${axis}`] + box[`max${axis}`] - low - high), "centres");
    }
    return best;
  }
}

const whole = (value: number, step: number): number => Math.round(value / step) * step - value;

/** A place at exactly the padding from the nearest outline; lines that drew already are kept where that is possible. */
function toPadding(
  group: Outlines,
  dx: number,
  dy: number,
  x: number,
  y: number,
  alongX: SnapKind | null,
  alongY: SnapKind | null,
  padding: number,
  reach: number,
): { at: [number, number]; kept: SnapKind[] } | null {
  const tries: [number, number, boolean, boolean][] = [];
  if (alongX && !alongY) tries.push([x, dy, true, false]);
  if (alongY && !alongX) tries.push([dx, y, false, true]);
  tries.push([dx, dy, false, false]);
  for (const [px, py, keepX, keepY] of tries) {
    const at = push(group, px, py, keepX, keepY, padding, reach);
    if (at && Math.hypot(at[0] - dx, at[1] - dy) < 2 * reach)
      return {
        at,
        kept: [...(keepX && alongX ? [alongX] : []), ...(keepY && alongY ? [alongY] : [])],
      };
  }
  return null;
}

/** Push away from, or pull to, whatever is nearest until it is just at the padding. */
function push(
  group: Outlines,
  x: number,
  y: number,
  keepX: boolean,
  keepY: boolean,
  padding: number,
  reach: number,
): [number, number] | null {
  for (let round = 0; round < ROUNDS; round++) {
    const found = group.nearest(moving(x, y), padding + reach);
    if (!found || found.distance === 0) return null;
    const off = padding - found.distance;
    if (Math.abs(off) < EXACT * padding + 1e-12) return [x, y];
    if (Math.abs(off) > reach) return null;
    const [nx, ny] = [(found.x - found.u) / found.distance, (found.y - found.v) / found.distance];
    if (keepX) {
      if (Math.abs(ny) < 0.2) return null;
      y += off / ny;
    } else if (keepY) {
      if (Math.abs(nx) < 0.2) return null;
      x += off / nx;
    } else {
      x += off * nx;
      y += off * ny;
    }
  }
  return null;
}
