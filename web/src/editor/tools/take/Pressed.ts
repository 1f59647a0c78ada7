import { Boxing } from "../Boxing";
import { State, type PointerAt, type ToolState } from "../Tool";
import { Dragging } from "./Dragging";

export const DRAG_PX = 4;

/** Pressed, and not moved yet: it may become a click, a drag of islands or a box. */
export class Pressed extends State {
  readonly name = "pressed";
  private island: number;

  constructor(
    editor: State["editor"],
    private from: PointerAt,
  ) {
    super(editor);
    this.island = editor.document.model?.islandAt(from.x, from.y) ?? -1;
  }

  move(at: PointerAt): ToolState {
    if (Math.hypot(at.sx - this.from.sx, at.sy - this.from.sy) <= DRAG_PX) return this;
    if (!this.editor.handsOn || this.island < 0 || this.from.shift || this.from.ctrl)
      return new Boxing(this.editor, this.from).move(at);
    if (!this.editor.selection.has(this.island))
      this.editor.select((selection) => selection.set([this.island]));
    const dragging = new Dragging(this.editor, this.from);
    return dragging.begin() ? dragging.move(at) : dragging.held();
  }

  up(): ToolState {
    const add = this.from.shift || this.from.ctrl;
    const island = add ? this.island : this.nextBelow();
    this.editor.select((selection) => {
      if (add && island >= 0) selection.toggle([island]);
      else selection.set(island >= 0 ? [island] : []);
    });
    this.editor.drawn();
    return this.editor.tools.rest;
  }

  /** Where several lie on one another, a click on what is selected already selects the next below it. */
  private nextBelow(): number {
    const below = this.editor.document.model?.islandsAt(this.from.x, this.from.y) ?? [];
    const picked = this.editor.selection.list();
    const at = picked.length === 1 ? below.indexOf(picked[0]) : -1;
    return at < 0 ? this.island : below[(at + 1) % below.length];
  }

  cancel(): ToolState {
    return this.editor.tools.rest;
  }
}
