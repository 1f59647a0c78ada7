import type { Editor } from "../Editor";
import { moving } from "../geometry/transform";
import { Signal, type Heard } from "../signal";
import { Panning } from "./Panning";
import { PenIdle, type Pen } from "./Pens";
import { Carrying } from "./take/Carrying";
import { Idle } from "./take/Idle";
import type { PointerAt, ToolState } from "./Tool";

const NUDGE_MS = 350;

/** What can be in the hand. */
export type ToolName = "take" | Pen;

/** What pointer, wheel and keys do on the table: they go to the state that the tool is in. */
export class ToolManager {
  private readonly raised = new Signal();
  readonly signal: Heard = this.raised;
  /** Where a tool goes when nothing is held. */
  rest: ToolState;
  state: ToolState;
  /** Where the pointer was last over the table. */
  last: PointerAt | null = null;
  /** Told when a tool is used. */
  onUsed: ((tool: ToolName) => void) | null = null;
  spaceDown = false;
  /** Whether the last press moved the view: then it asks for no menu. */
  dragged = false;
  private nudged: { dx: number; dy: number } | null = null;
  private timer: ReturnType<typeof setTimeout> | undefined;

  constructor(private editor: Editor) {
    this.state = this.rest = new Idle(editor);
  }

  /** The tool in the hand. */
  get tool(): ToolName {
    return this.rest instanceof PenIdle ? this.rest.pen : "take";
  }

  /** Take a tool into the hand; what is under way is taken back. */
  use(tool: ToolName): ToolState {
    this.endNudge();
    if (this.state !== this.rest && this.state.name !== "region") this.state.cancel();
    this.rest = tool === "take" ? new Idle(this.editor) : new PenIdle(this.editor, tool);
    this.go(this.rest);
    this.raised.raise();
    this.editor.drawn();
    return this.rest;
  }

  used(tool: ToolName): void {
    this.onUsed?.(tool);
  }

  /** Hang what is selected at the pointer, by its middle; false when locks hold it. */
  carry(): boolean {
    const frame = this.editor.frame;
    if (!frame) return false;
    this.use("take");
    const [x, y] = [(frame.minX + frame.maxX) / 2, (frame.minY + frame.maxY) / 2];
    const [sx, sy] = this.editor.camera.toScreen(x, y);
    const merging = new Carrying(this.editor, {
      x,
      y,
      sx,
      sy,
      button: 0,
      shift: false,
      ctrl: false,
      alt: false,
    });
    if (!merging.begin()) return false;
    this.go(merging);
    if (this.last) this.move(this.last);
    return true;
  }

  down(at: PointerAt): void {
    this.endNudge();
    this.dragged = false;
    this.go(
      this.spaceDown && at.button === 0
        ? new Panning(this.editor, at, this.state)
        : this.state.down(at),
    );
  }

  move(at: PointerAt): void {
    this.last = at;
    this.go(this.state.move(at));
  }

  up(at: PointerAt): void {
    if (this.state instanceof Panning) this.dragged = this.state.moved;
    this.go(this.state.up(at));
  }

  leave(): void {
    this.state.leave?.();
  }

  /** Escape: back to how it was; true when there was something to take back. */
  cancel(): boolean {
    if (this.nudged) {
      clearTimeout(this.timer);
      this.nudged = null;
      this.editor.gesture.cancel();
      return true;
    }
    const was = this.state.name;
    this.go(this.state.cancel());
    return was !== this.state.name;
  }

  get cursor(): string {
    return this.spaceDown ? "grab" : (this.state.cursor?.() ?? "default");
  }

  /**
   * Turning the wheel zooms at the pointer; with Shift it moves sideways, with Alt in fine steps.
   * Two fingers pinch (`ctrl`) or move the view.
   */
  wheel(
    sx: number,
    sy: number,
    dx: number,
    dy: number,
    keys: { shift: boolean; alt: boolean; ctrl: boolean },
  ): void {
    const { camera } = this.editor;
    if (keys.ctrl) camera.zoomAt(sx, sy, Math.exp(-dy * 0.01));
    else if (keys.shift) camera.pan(-(dx || dy), 0);
    else if (dx && Math.abs(dx) >= Math.abs(dy)) camera.pan(-dx, -dy);
    else camera.zoomAt(sx, sy, Math.exp(-dy * (keys.alt ? 0.0004 : 0.0016)));
    this.editor.drawn();
  }

  /** Arrow keys nudge what is selected, else they move the view; plus and minus zoom. True when the key was used. */
  key(key: string, shift: boolean, alt: boolean): boolean {
    const arrows: Record<string, [number, number]> = {
      ArrowLeft: [-1, 0],
      ArrowRight: [1, 0],
      ArrowUp: [0, 1],
      ArrowDown: [0, -1],
    };
    const { camera, selection } = this.editor;
    const arrow = arrows[key];
    if (arrow && selection.size && this.editor.handsOn) return this.nudge(arrow, shift, alt);
    const step = shift ? 160 : alt ? 8 : 40;
    if (arrow) camera.pan(-arrow[0] * step, arrow[1] * step);
    else if (key === "+" || key === "=") camera.zoomAt(camera.width / 2, camera.height / 2, 1.25);
    else if (key === "-") camera.zoomAt(camera.width / 2, camera.height / 2, 0.8);
    else return false;
    this.editor.drawn();
    return true;
  }

  /** A texel, with Shift the padding, with Alt a tenth of a texel; keys that follow soon are one step. */
  private nudge([x, y]: [number, number], shift: boolean, alt: boolean): boolean {
    const { gesture, document } = this.editor;
    if (!this.nudged) {
      if (gesture.active) return true;
      if (!gesture.begin("move")) {
        void this.editor.sayHeld();
        return true;
      }
      this.nudged = { dx: 0, dy: 0 };
    }
    const px = document.map.pxPerUnit(document.model?.homes[gesture.outlines!.islands[0]] ?? 0);
    const step = (shift ? Math.max(document.padding, 1) : alt ? 0.1 : 1) / px;
    this.nudged.dx += x * step;
    this.nudged.dy += y * step;
    const by = moving(this.nudged.dx, this.nudged.dy);
    gesture.show(
      by,
      [],
      gesture.outlines!.exact
        ? gesture.outlines!.nearest(by, (3 * document.padding + 8) / px)
        : null,
    );
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.endNudge(), NUDGE_MS);
    return true;
  }

  /** What was nudged becomes a step. */
  endNudge(): void {
    if (!this.nudged) return;
    clearTimeout(this.timer);
    this.nudged = null;
    void this.editor.gesture.drop();
  }

  private go(next: ToolState): void {
    if (next === this.state) return;
    this.state = next;
    this.raised.raise();
  }
}
