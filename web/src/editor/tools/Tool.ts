import type { Editor } from "../Editor";

/** A pointer event: on the table and on the screen, with the keys that are held. */
export type PointerAt = {
  x: number;
  y: number;
  sx: number;
  sy: number;
  button: number;
  shift: boolean;
  ctrl: boolean;
  alt: boolean;
};

/** What a tool does between two events; each answers with the state that follows, itself when nothing changes. */
export interface ToolState {
  readonly name:
    | "idle"
    | "pressed"
    | "dragging"
    | "turning"
    | "sizing"
    | "boxing"
    | "panning"
    | "pen"
    | "lasso"
    | "brush"
    | "region"
    | "merging";
  down(at: PointerAt): ToolState;
  move(at: PointerAt): ToolState;
  up(at: PointerAt): ToolState;
  /** Escape, or the window lost the pointer: everything is as it was. */
  cancel(): ToolState;
  leave?(): void;
  /** What the pointer looks like here. */
  cursor?(): string;
}

/** A state that lets everything pass that it does not know. */
export abstract class State implements ToolState {
  abstract readonly name: ToolState["name"];

  constructor(protected editor: Editor) {}

  down(at: PointerAt): ToolState {
    return this.unchanged(at);
  }

  move(at: PointerAt): ToolState {
    return this.unchanged(at);
  }

  up(at: PointerAt): ToolState {
    return this.unchanged(at);
  }

  private unchanged(at: PointerAt): ToolState {
    void at;
    return this;
  }

  cancel(): ToolState {
    return this;
  }
}
