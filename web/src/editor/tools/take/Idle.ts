import { Panning } from "../Panning";
import { PickPressed } from "../Picking";
import { State, type PointerAt, type ToolState } from "../Tool";
import { handleAt } from "./frame";
import { Pressed } from "./Pressed";
import { Sizing } from "./Sizing";
import { Turning } from "./Turning";

/** Nothing is pressed: what the pointer is over lights up. */
export class Idle extends State {
  readonly name = "idle";
  private over: string = "default";

  down(at: PointerAt): ToolState {
    if (at.button === 1 || at.button === 2) return new Panning(this.editor, at, this);
    if (at.button !== 0) return this;
    if (this.editor.picks.mode !== "islands") return new PickPressed(this.editor, at);
    const frame = this.editor.handsOn ? this.editor.frame : null;
    const handle =
      frame && handleAt(frame, (x, y) => this.editor.camera.toScreen(x, y), at.sx, at.sy);
    if (frame && handle) {
      const next =
        handle === "turn"
          ? new Turning(this.editor, at, frame)
          : new Sizing(this.editor, frame, handle);
      if (next.begin()) return next;
      return this;
    }
    return new Pressed(this.editor, at);
  }

  move(at: PointerAt): ToolState {
    const { camera, document, handsOn } = this.editor;
    const frame = handsOn ? this.editor.frame : null;
    const handle = frame && handleAt(frame, (x, y) => camera.toScreen(x, y), at.sx, at.sy);
    const island = handle ? -1 : (document.model?.islandAt(at.x, at.y) ?? -1);
    this.editor.hover(island);
    this.over =
      handle === "turn"
        ? "grab"
        : handle === "nw" || handle === "se"
          ? "nwse-resize"
          : handle
            ? "nesw-resize"
            : island >= 0 && this.editor.selection.has(island)
              ? "move"
              : "default";
    return this;
  }

  leave(): void {
    this.editor.hover(-1);
  }

  cursor(): string {
    return this.editor.picks.mode === "islands" ? this.over : "crosshair";
  }
}
