import { CONTROLS } from "../flags.generated";
import type { TableCamera } from "../camera/TableCamera";
import type { Control } from "../document/LayoutDocument";
import type { LayoutModel } from "../layout/LayoutModel";
import type { Palette } from "./paper";
import { inView, labelFits } from "./stitches";

const SIZE = 13;

/** What was said about islands, as buttons sewn on them: locks, mirroring, tile, stacks. */
export function drawBadges(
  ctx: CanvasRenderingContext2D,
  camera: TableCamera,
  model: LayoutModel,
  anchors: Float32Array,
  islands: readonly number[],
  control: (island: number) => Control | null,
  stackSize: (island: number) => number,
  palette: Palette,
): void {
  const taken = new Set<string>();
  islands.forEach((island) => {
    const b = model.bounds[island];
    const said = b && control(island);
    if (!said) return;
    const { flags, tile, stack } = said;
    if ((!flags && !tile && stack < 0) || !inView(camera, b)) return;
    const w = (b.maxX - b.minX) * camera.scale;
    const h = (b.maxY - b.minY) * camera.scale;
    if (Math.max(w, h) < 16) return;
    const marks = badges(flags, tile, stack >= 0 ? stackSize(island) : 0);
    const [x, y] = camera.toScreen(
      ...model.place(island, anchors[2 * island], anchors[2 * island + 1]),
    );
    // Zoomed out, one of those that would lie on one another is enough.
    const cell = `${Math.round(x / 24)},${Math.round(y / 16)}`;
    if (taken.has(cell)) return;
    taken.add(cell);
    // Under the label; where there is no room for one, in its place.
    const top = labelFits(w, h) ? y + 8 : y - SIZE / 2;
    let left = x - (marks.length * (SIZE + 2)) / 2;
    for (const mark of marks) {
      const width = mark.length > 1 ? 8 + 6 * mark.length : SIZE;
      button(ctx, left, top, width, palette);
      symbol(ctx, mark, left + width / 2, top + SIZE / 2, palette);
      left += width + 2;
    }
  });
}

/** Names of the badges that an island carries; longer ones are printed as text. */
export function badges(flags: number, tile: number, stack: number): string[] {
  const out: string[] = [];
  if (flags & CONTROLS.lock_place) out.push("p");
  if (flags & CONTROLS.lock_rotation) out.push("t");
  if (flags & CONTROLS.lock_size) out.push("s");
  if (flags & CONTROLS.may_flip) out.push("m");
  if (flags & CONTROLS.leave_out) out.push("o");
  if (stack > 1) out.push(`${stack}×`);
  if (tile) out.push(String(tile));
  return out;
}

function button(
  ctx: CanvasRenderingContext2D,
  x: number,
  y: number,
  width: number,
  palette: Palette,
): void {
  ctx.fillStyle = palette.halo;
  ctx.strokeStyle = palette.ink;
  ctx.lineWidth = 1;
  ctx.beginPath();
  ctx.roundRect(x, y, width, SIZE, SIZE / 2);
  ctx.fill();
  ctx.stroke();
}

function symbol(
  ctx: CanvasRenderingContext2D,
  mark: string,
  x: number,
  y: number,
  palette: Palette,
): void {
  ctx.strokeStyle = ctx.fillStyle = palette.ink;
  ctx.lineWidth = 1.4;
  ctx.beginPath();
  if (mark === "p") {
    // A pin seen from above.
    ctx.arc(x, y, 2.6, 0, 7);
    ctx.fill();
    return;
  }
  if (mark === "t") {
    // A level line with a stop at each end.
    ctx.moveTo(x - 4, y);
    ctx.lineTo(x + 4, y);
    ctx.moveTo(x - 4, y - 2.5);
    ctx.lineTo(x - 4, y + 2.5);
    ctx.moveTo(x + 4, y - 2.5);
    ctx.lineTo(x + 4, y + 2.5);
  } else if (mark === "s") {
    ctx.rect(x - 2.8, y - 2.8, 5.6, 5.6);
  } else if (mark === "m") {
    ctx.moveTo(x - 1, y - 3);
    ctx.lineTo(x - 4, y + 3);
    ctx.lineTo(x - 1, y + 3);
    ctx.moveTo(x + 1, y - 3);
    ctx.lineTo(x + 4, y + 3);
    ctx.lineTo(x + 1, y + 3);
  } else if (mark === "o") {
    ctx.moveTo(x - 2.8, y - 2.8);
    ctx.lineTo(x + 2.8, y + 2.8);
    ctx.moveTo(x + 2.8, y - 2.8);
    ctx.lineTo(x - 2.8, y + 2.8);
  } else {
    ctx.font = "700 9.5px 'Atkinson Hyperlegible Next Variable', sans-serif";
    ctx.textAlign = "center";
    ctx.textBaseline = "middle";
    ctx.fillText(mark, x, y + 0.5);
    return;
  }
  ctx.stroke();
}

/** A knot on each island of a bundle, and, where one of them is selected, the thread from knot to knot. */
export function drawThreads(
  ctx: CanvasRenderingContext2D,
  camera: TableCamera,
  model: LayoutModel,
  anchors: Float32Array,
  said: readonly number[],
  bundles: number[],
  shown: (island: number) => boolean,
  palette: Palette,
): void {
  const groups = new Map<number, number[]>();
  for (const island of said) {
    const bundle = bundles[island];
    if (bundle >= 0) groups.set(bundle, [...(groups.get(bundle) ?? []), island]);
  }
  ctx.lineWidth = 1.6;
  for (const islands of groups.values()) {
    const spots = inReach(
      islands.map((i) => camera.toScreen(...model.place(i, anchors[2 * i], anchors[2 * i + 1]))),
    );
    if (islands.some(shown)) {
      ctx.strokeStyle = palette.halo;
      ctx.lineWidth = 3;
      thread(ctx, spots);
      ctx.strokeStyle = "#8C2F4B";
      ctx.lineWidth = 1.2;
      thread(ctx, spots);
    }
    ctx.fillStyle = "#8C2F4B";
    for (const [x, y] of spots) {
      ctx.beginPath();
      ctx.arc(x, y, 2.8, 0, 7);
      ctx.fill();
    }
  }
}

/** Spots in an order in which each is the nearest of those that are left. */
export function inReach(spots: [number, number][]): [number, number][] {
  const left = [...spots];
  const out = left.splice(0, 1);
  while (left.length) {
    const [x, y] = out[out.length - 1];
    let best = 0;
    left.forEach(([u, v], i) => {
      if (Math.hypot(u - x, v - y) < Math.hypot(left[best][0] - x, left[best][1] - y)) best = i;
    });
    out.push(...left.splice(best, 1));
  }
  return out;
}

function thread(ctx: CanvasRenderingContext2D, spots: [number, number][]): void {
  ctx.beginPath();
  spots.forEach(([x, y], k) => (k ? ctx.lineTo(x, y) : ctx.moveTo(x, y)));
  ctx.stroke();
}

/** Outlines of another layout, laid over this one. */
export function drawGhost(
  ctx: CanvasRenderingContext2D,
  camera: TableCamera,
  ghost: LayoutModel,
): void {
  const { edges, edgeIsland } = ghost.base;
  ctx.strokeStyle = "#8C2F4B";
  ctx.lineWidth = 1.1;
  ctx.beginPath();
  edgeIsland.forEach((island, e) => {
    ctx.moveTo(...camera.toScreen(...ghost.place(island, edges[4 * e], edges[4 * e + 1])));
    ctx.lineTo(...camera.toScreen(...ghost.place(island, edges[4 * e + 2], edges[4 * e + 3])));
  });
  ctx.stroke();
}
