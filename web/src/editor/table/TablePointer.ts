import type { Bounds } from "../affine/affine";
import type { Editor } from "../Editor";

type State =
  | { kind: "idle" }
  | { kind: "pressed"; x: number; y: number; add: boolean }
  | { kind: "marquee"; x: number; y: number; toX: number; toY: number; add: boolean }
  | { kind: "panning"; x: number; y: number };

const DRAG_PX = 4;

/** What pointer, wheel and keys do on the table. */
export class TablePointer {
  state: State = { kind: "idle" };
  spaceDown = false;
  /** Whether the last press moved the view: then it asks for no menu. */
  dragged = false;

  constructor(private editor: Editor) {}

  down(x: number, y: number, button: number, add: boolean): void {
    this.dragged = false;
    if (button === 1 || button === 2 || this.spaceDown) this.state = { kind: "panning", x, y };
    else if (button === 0) this.state = { kind: "pressed", x, y, add };
  }

  move(x: number, y: number): void {
    const s = this.state;
    if (s.kind === "panning") {
      if (Math.hypot(x - s.x, y - s.y) > 1) this.dragged = true;
      this.editor.camera.pan(x - s.x, y - s.y);
      this.state = { ...s, x, y };
      this.editor.drawn();
    } else if (s.kind === "pressed" && Math.hypot(x - s.x, y - s.y) > DRAG_PX) {
      this.state = { kind: "marquee", x: s.x, y: s.y, toX: x, toY: y, add: s.add };
      this.editor.drawn();
    } else if (s.kind === "marquee") {
      this.state = { ...s, toX: x, toY: y };
      this.editor.drawn();
    } else if (s.kind === "idle") {
      this.editor.hover(this.editor.document.model?.islandAt(...this.editor.camera.toTable(x, y)) ?? -1);
    }
  }

  up(x: number, y: number): void {
    const s = this.state;
    this.state = { kind: "idle" };
    const { camera, document: { model } } = this.editor;
    if (!model) return;
    if (s.kind === "pressed") {
      const island = model.islandAt(...camera.toTable(x, y));
      this.editor.select((selection) => {
        if (s.add && island >= 0) selection.toggle([island]);
        else selection.set(island >= 0 ? [island] : []);
      });
    } else if (s.kind === "marquee") {
      const [ax, ay] = camera.toTable(s.x, s.y);
      const [bx, by] = camera.toTable(x, y);
      const box: Bounds = { minX: Math.min(ax, bx), minY: Math.min(ay, by), maxX: Math.max(ax, bx), maxY: Math.max(ay, by) };
      const found = model.islandsIn(box);
      this.editor.select((selection) => selection.set(s.add ? [...selection.list(), ...found] : found));
    }
    this.editor.drawn();
  }

  leave(): void {
    if (this.state.kind === "idle") this.editor.hover(-1);
  }

  /** Turning the wheel zooms at the pointer; with Shift it moves sideways, with Alt in fine steps. */
  wheel(x: number, y: number, dx: number, dy: number, shift: boolean, alt: boolean): void {
    if (shift) this.editor.camera.pan(-(dx || dy), 0);
    else this.editor.camera.zoomAt(x, y, Math.exp(-dy * (alt ? 0.0004 : 0.0016)));
    this.editor.drawn();
  }

  /** Arrow keys move the view, plus and minus zoom; true when the key was used. */
  key(key: string, shift: boolean, alt: boolean): boolean {
    const step = shift ? 160 : alt ? 8 : 40;
    const camera = this.editor.camera;
    const moves: Record<string, [number, number]> = { ArrowLeft: [step, 0], ArrowRight: [-step, 0], ArrowUp: [0, step], ArrowDown: [0, -step] };
    if (moves[key]) camera.pan(...moves[key]);
    else if (key === "+" || key === "=") camera.zoomAt(camera.width / 2, camera.height / 2, 1.25);
    else if (key === "-") camera.zoomAt(camera.width / 2, camera.height / 2, 0.8);
    else return false;
    this.editor.drawn();
    return true;
  }
}
