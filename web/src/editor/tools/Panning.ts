import { State, type PointerAt, type ToolState } from "./Tool";

/** The view follows the pointer. */
export class Panning extends State {
  readonly name = "panning";
  /** Whether the view has moved: then a press of the right button asks for no menu. */
  moved = false;

  constructor(
    editor: State["editor"],
    private last: PointerAt,
    private back: ToolState,
  ) {
    super(editor);
  }

  move(at: PointerAt): ToolState {
    const [dx, dy] = [at.sx - this.last.sx, at.sy - this.last.sy];
    if (Math.hypot(dx, dy) > 1) this.moved = true;
    this.editor.camera.pan(dx, dy);
    this.last = at;
    this.editor.drawn();
    return this;
  }

  up(): ToolState {
    return this.back;
  }

  cancel(): ToolState {
    return this.back;
  }

  cursor(): string {
    return "grabbing";
  }
}
