import { State, type ToolState } from "../Tool";

/** Picked islands follow the pointer: letting go keeps what is seen, Escape puts it back. */
export abstract class GestureState extends State {
  up(): ToolState {
    void this.editor.gesture.drop();
    return this.editor.tools.rest;
  }

  cancel(): ToolState {
    this.editor.gesture.cancel();
    return this.editor.tools.rest;
  }
}
