import type { Shape } from "../geometry/shape";
import { thinned } from "../geometry/shape";
import { Panning } from "./Panning";
import { State, type PointerAt, type ToolState } from "./Tool";

/** Tools that draw over the table, by what they are called there. */
export type Pen = "lasso" | "brush" | "region";

/** A pen is in the hand, and nothing is pressed. */
export class PenIdle extends State {
  readonly name = "pen";

  constructor(
    editor: State["editor"],
    readonly pen: Pen,
  ) {
    super(editor);
  }

  down(at: PointerAt): ToolState {
    if (at.button === 1 || at.button === 2) return new Panning(this.editor, at, this);
    if (at.button !== 0) return this;
    this.editor.tools.used(this.pen);
    if (this.pen === "lasso") return new Lasso(this.editor, at);
    return this.pen === "brush" ? new Brush(this.editor, at) : new Region(this.editor, at);
  }

  move(at: PointerAt): ToolState {
    this.editor.hover(
      this.pen === "region" ? -1 : (this.editor.document.model?.islandAt(at.x, at.y) ?? -1),
    );
    return this;
  }

  leave(): void {
    this.editor.hover(-1);
  }

  /** Escape puts the pen down. */
  cancel(): ToolState {
    return this.editor.tools.use("take");
  }

  cursor(): string {
    return "crosshair";
  }
}

/** A line follows the pointer. */
export abstract class Drawing extends State {
  /** x and y on the table of all points so far. */
  readonly points: number[];

  constructor(
    editor: State["editor"],
    protected from: PointerAt,
  ) {
    super(editor);
    this.points = [from.x, from.y];
  }

  /** What is drawn over the table. */
  abstract readonly shape: Shape;

  move(at: PointerAt): ToolState {
    const least = 2 / this.editor.camera.scale;
    const n = this.points.length;
    if (Math.hypot(at.x - this.points[n - 2], at.y - this.points[n - 1]) >= least)
      this.points.push(at.x, at.y);
    this.editor.drawn();
    return this;
  }

  cancel(): ToolState {
    this.editor.drawn();
    return this.editor.tools.rest;
  }

  cursor(): string {
    return "crosshair";
  }
}

/**
 * What a line drawn round islands meets or holds is selected, with Alt only what it holds wholly; with Shift on top of
 * what is, with Ctrl taken from it.
 */
export class Lasso extends Drawing {
  readonly name = "lasso";

  get shape(): Shape {
    return this.points;
  }

  up(at: PointerAt): ToolState {
    const whole = at.alt || this.from.alt;
    const found = this.editor.document.model?.islandsWithin(this.points, whole) ?? [];
    const { shift, ctrl } = this.from;
    this.editor.select((selection) => {
      if (ctrl) selection.remove(found);
      else selection.set(shift ? [...selection.list(), ...found] : found);
    });
    this.editor.drawn();
    return this.editor.tools.rest;
  }
}

/** Islands that the pointer passes over are selected; with Ctrl they are let go of. */
class Brush extends State {
  readonly name = "brush";
  private before: number[];
  private passed = new Set<number>();

  constructor(
    editor: State["editor"],
    private last: PointerAt,
  ) {
    super(editor);
    this.before = editor.selection.list();
    if (!last.shift && !last.ctrl) editor.select((selection) => selection.clear());
    this.pass(last);
  }

  move(at: PointerAt): ToolState {
    // Between two events no island is jumped over that is wider than a few px.
    const steps = Math.min(
      200,
      Math.ceil(Math.hypot(at.sx - this.last.sx, at.sy - this.last.sy) / 4),
    );
    const { last } = this;
    for (let k = 1; k <= steps; k++)
      this.pass({
        x: last.x + ((at.x - last.x) * k) / steps,
        y: last.y + ((at.y - last.y) * k) / steps,
      });
    this.last = at;
    this.editor.drawn();
    return this;
  }

  private pass({ x, y }: { x: number; y: number }): void {
    const island = this.editor.document.model?.islandAt(x, y) ?? -1;
    if (island < 0 || this.passed.has(island)) return;
    this.passed.add(island);
    const { ctrl } = this.last;
    this.editor.select((selection) =>
      ctrl ? selection.remove([island]) : selection.add([island]),
    );
  }

  up(): ToolState {
    return this.editor.tools.rest;
  }

  cancel(): ToolState {
    this.editor.select((selection) => selection.set(this.before));
    return this.editor.tools.rest;
  }

  cursor(): string {
    return "crosshair";
  }
}

/** Where the selected islands shall go: a rectangle, with Shift a shape; with Alt they are scaled to fill it. */
export class Region extends Drawing {
  readonly name = "region";
  private to: PointerAt = this.from;

  get shape(): Shape {
    const { from, to } = this;
    return from.shift ? this.points : [from.x, from.y, to.x, from.y, to.x, to.y, from.x, to.y];
  }

  move(at: PointerAt): ToolState {
    this.to = at;
    return super.move(at);
  }

  up(at: PointerAt): ToolState {
    this.to = at;
    const { map } = this.editor.document;
    const shape = this.from.shift
      ? thinned(this.points, 3 / this.editor.camera.scale)
      : [this.from.x, this.from.y, at.x, at.y];
    const xs = shape.filter((_, k) => k % 2 === 0);
    const ys = shape.filter((_, k) => k % 2 === 1);
    const middle = (values: number[]) => (Math.min(...values) + Math.max(...values)) / 2;
    const tile = map.tileAt(middle(xs), middle(ys));
    if (
      shape.length >= 4 &&
      Math.hypot(at.sx - this.from.sx, at.sy - this.from.sy) + shape.length > 8
    ) {
      this.editor.onRegion?.({
        tile,
        region: xs.map((x, k) => map.inPx(tile, x, ys[k])),
        grow: at.alt,
      });
    }
    this.editor.drawn();
    return this.editor.tools.use("take");
  }
}
