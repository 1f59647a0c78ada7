import type { PointerAt, ToolState } from "../Tool";
import { Dragging } from "./Dragging";

/** An island hangs at the pointer without a press: the next press lays it down. */
export class Carrying extends Dragging {
  override readonly name = "merging";

  down(at: PointerAt): ToolState {
    if (at.button !== 0) return this.cancel();
    this.move(at);
    return super.up();
  }

  up(): ToolState {
    return this;
  }
}
