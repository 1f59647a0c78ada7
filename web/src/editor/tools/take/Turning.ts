import type { Bounds } from "../../affine/affine";
import { turning } from "../../geometry/transform";
import type { PointerAt, ToolState } from "../Tool";
import { GestureState } from "./GestureState";
import { middle } from "./frame";

const STEP = Math.PI / 12;

/** The pin above the frame is drawn round: selected islands turn about its middle, with Shift in steps of 15°. */
export class Turning extends GestureState {
  readonly name = "turning";

  constructor(
    editor: GestureState["editor"],
    private from: PointerAt,
    private frame: Bounds,
  ) {
    super(editor);
  }

  begin(): boolean {
    return this.editor.gesture.begin("turn");
  }

  move(at: PointerAt): ToolState {
    const [x, y] = middle(this.frame);
    const angle = Math.atan2(at.y - y, at.x - x) - Math.atan2(this.from.y - y, this.from.x - x);
    this.editor.gesture.show(turning(at.shift ? Math.round(angle / STEP) * STEP : angle, [x, y]));
    return this;
  }

  cursor(): string {
    return "grabbing";
  }
}
