import type { Bounds } from "../../affine/affine";
import { sizing } from "../../geometry/transform";
import type { PointerAt, ToolState } from "../Tool";
import { GestureState } from "./GestureState";
import { corner, middle, opposite, type Handle } from "./frame";

const LEAST = 1e-3;

/**
 * A corner of the frame is drawn: the proportion is kept; with Alt about the middle, with Shift
 * each side for itself.
 */
export class Sizing extends GestureState {
  readonly name = "sizing";

  constructor(
    editor: GestureState["editor"],
    private frame: Bounds,
    private handle: Handle,
  ) {
    super(editor);
  }

  begin(): boolean {
    return this.editor.gesture.begin("size");
  }

  move(at: PointerAt): ToolState {
    const fixed = at.alt ? middle(this.frame) : opposite(this.frame, this.handle);
    const [cx, cy] = corner(this.frame, this.handle);
    const [w, h] = [cx - fixed[0], cy - fixed[1]];
    const [mx, my] = [at.x - fixed[0], at.y - fixed[1]];
    const along = Math.max((mx * w + my * h) / (w * w + h * h), LEAST);
    const free = (to: number, from: number) =>
      Math.abs(from) < 1e-12 ? 1 : Math.max(to / from, LEAST);
    this.editor.gesture.show(
      at.shift ? sizing(free(mx, w), free(my, h), fixed) : sizing(along, along, fixed),
    );
    return this;
  }

  cursor(): string {
    return this.handle === "nw" || this.handle === "se" ? "nwse-resize" : "nesw-resize";
  }
}
