import { moving } from "../../geometry/transform";
import type { PointerAt, ToolState } from "../Tool";
import { GestureState } from "./GestureState";

/** How far the pointer's islands are pulled to a line, on the screen. */
const SNAP_PX = 7;

/** Picked islands follow the pointer; they snap unless a key suspends it. */
export class Dragging extends GestureState {
  readonly name: "dragging" | "merging" = "dragging";

  constructor(
    editor: GestureState["editor"],
    private from: PointerAt,
  ) {
    super(editor);
  }

  /** False when locks hold all of them. */
  begin(): boolean {
    return this.editor.gesture.begin("move");
  }

  /** What a drag that nothing follows becomes: the lock is told at the pointer until it is let go. */
  held(): ToolState {
    this.editor.drawn();
    return this;
  }

  move(at: PointerAt): ToolState {
    const { gesture, snap, camera } = this.editor;
    if (!gesture.outlines) return this;
    let [dx, dy] = [at.x - this.from.x, at.y - this.from.y];
    // With Shift along one axis only.
    if (at.shift) [dx, dy] = Math.abs(dx) > Math.abs(dy) ? [dx, 0] : [0, dy];
    const found = snap.snap(
      gesture.outlines,
      dx,
      dy,
      this.editor.roomAt(dx, dy),
      SNAP_PX / camera.scale,
      at.alt,
    );
    const [x, y] = at.shift
      ? [dx === 0 ? 0 : found.dx, dy === 0 ? 0 : found.dy]
      : [found.dx, found.dy];
    gesture.show(moving(x, y), found.by, found.nearest);
    return this;
  }

  cursor(): string {
    return this.editor.gesture.active ? "grabbing" : "not-allowed";
  }
}
