import type { Bounds } from "../affine/affine";
import { State, type PointerAt, type ToolState } from "./Tool";

/** A box is drawn over the table; what it meets is selected when it is let go, with Shift or Ctrl on top of what is. */
export class Boxing extends State {
  readonly name = "boxing";
  private to: PointerAt;

  constructor(
    editor: State["editor"],
    private from: PointerAt,
  ) {
    super(editor);
    this.to = from;
  }

  /** On the table. */
  get box(): Bounds {
    const { from, to } = this;
    return {
      minX: Math.min(from.x, to.x),
      minY: Math.min(from.y, to.y),
      maxX: Math.max(from.x, to.x),
      maxY: Math.max(from.y, to.y),
    };
  }

  move(at: PointerAt): ToolState {
    this.to = at;
    this.editor.drawn();
    return this;
  }

  up(at: PointerAt): ToolState {
    this.to = at;
    this.pick(this.from.shift || this.from.ctrl);
    this.editor.drawn();
    return this.editor.tools.rest;
  }

  /** Pick what the box meets, on top of what is selected or instead. */
  protected pick(add: boolean): void {
    const found = this.editor.document.model?.islandsIn(this.box) ?? [];
    this.editor.select((selection) => selection.set(add ? [...selection.list(), ...found] : found));
  }

  cancel(): ToolState {
    this.editor.drawn();
    return this.editor.tools.rest;
  }
}
