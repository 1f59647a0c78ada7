import type { Bounds } from "../affine/affine";
import { Signal, type Heard } from "../signal";

const CLOSEST = 64 * 2048; // screen px per tile: a texel of a 2048 tile is 64 px wide
const FARTHEST = 2;

/** Looks at the table: `scale` screen px per tile edge, y up. */
export class TableCamera {
  private readonly raised = new Signal();
  /** Things are shown larger or smaller. */
  readonly zoomed: Heard = this.raised;
  x = 0.5;
  y = 0.5;
  scale = 400;
  width = 800;
  height = 600;
  /** Screen px at the left that something lies over: what is framed is shown beside it. */
  left = 0;

  resize(width: number, height: number): void {
    this.width = Math.max(1, width);
    this.height = Math.max(1, height);
  }

  toScreen(x: number, y: number): [number, number] {
    return [
      this.width / 2 + (x - this.x) * this.scale,
      this.height / 2 - (y - this.y) * this.scale,
    ];
  }

  toTable(sx: number, sy: number): [number, number] {
    return [
      this.x + (sx - this.width / 2) / this.scale,
      this.y - (sy - this.height / 2) / this.scale,
    ];
  }

  /** Zoom so that the point under the pointer stays under it. */
  zoomAt(sx: number, sy: number, factor: number): void {
    const [x, y] = this.toTable(sx, sy);
    this.scale = Math.min(CLOSEST, Math.max(FARTHEST, this.scale * factor));
    this.x = x - (sx - this.width / 2) / this.scale;
    this.y = y + (sy - this.height / 2) / this.scale;
    this.raised.raise();
  }

  pan(dx: number, dy: number): void {
    this.x -= dx / this.scale;
    this.y += dy / this.scale;
  }

  /** Look at a place of the table, at a scale. */
  lookAt(x: number, y: number, scale: number): void {
    Object.assign(this, { x, y, scale });
    this.raised.raise();
  }

  /** Show all of `bounds`, with `border` screen px around it; `top` more above, for labels. */
  frame(bounds: Bounds, border = 24, top = 0): void {
    const w = Math.max(bounds.maxX - bounds.minX, 1e-6);
    const h = Math.max(bounds.maxY - bounds.minY, 1e-6);
    const scale = Math.min(
      (this.width - this.left - 2 * border) / w,
      (this.height - 2 * border - top) / h,
    );
    this.scale = Math.min(CLOSEST, Math.max(FARTHEST, scale));
    this.x = (bounds.minX + bounds.maxX) / 2 - this.left / 2 / this.scale;
    this.y = (bounds.minY + bounds.maxY) / 2 + top / 2 / this.scale;
    this.raised.raise();
  }
}
