import type { Editor } from "../Editor";

type Spot = readonly [number, number];

/**
 * Two fingers on the table: their middle moves the view, their distance sizes it. Until both are
 * lifted the tools rest.
 */
export class Pinch {
  private readonly fingers = new Map<number, Spot>();
  /** Two fingers were down since the last time that none was. */
  private taken = false;

  constructor(private readonly editor: Pick<Editor, "camera" | "drawn">) {}

  /** A finger comes down; true when it is not the tool's. */
  down(id: number, sx: number, sy: number): boolean {
    this.fingers.set(id, [sx, sy]);
    this.taken ||= this.fingers.size > 1;
    return this.taken;
  }

  /** A finger moves; true when it is not the tool's. */
  move(id: number, sx: number, sy: number): boolean {
    if (!this.fingers.has(id)) return false;
    if (this.fingers.size !== 2) {
      this.fingers.set(id, [sx, sy]);
      return this.taken;
    }
    const before = this.middle();
    this.fingers.set(id, [sx, sy]);
    const after = this.middle();
    const { camera } = this.editor;
    camera.pan(after.x - before.x, after.y - before.y);
    if (before.apart > 0 && after.apart > 0)
      camera.zoomAt(after.x, after.y, after.apart / before.apart);
    this.editor.drawn();
    return true;
  }

  /** A finger is lifted; true when it was not the tool's. */
  up(id: number): boolean {
    const known = this.fingers.delete(id);
    const taken = known && this.taken;
    if (!this.fingers.size) this.taken = false;
    return taken;
  }

  private middle(): { x: number; y: number; apart: number } {
    const [[ax, ay], [bx, by]] = [...this.fingers.values()];
    return { x: (ax + bx) / 2, y: (ay + by) / 2, apart: Math.hypot(bx - ax, by - ay) };
  }
}
