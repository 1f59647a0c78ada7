import { inShape, type Shape } from "../geometry/shape";
import { pickBox, pickedCornerAt, pickWithin, triangleAt } from "../picks/onTable";
import { Boxing } from "./Boxing";
import { Drawing } from "./Pens";
import { State, type PointerAt, type ToolState } from "./Tool";
import { DRAG_PX } from "./take/Pressed";

const DOUBLE_MS = 350;
let lastClick = { time: 0, sx: 0, sy: 0 };

/**
 * Pressed while faces, edges or vertices are selected: a click selects, a drag draws a box or moves
 * the selected corners.
 */
export class PickPressed extends State {
  readonly name = "pressed";

  constructor(
    editor: State["editor"],
    private from: PointerAt,
  ) {
    super(editor);
  }

  move(at: PointerAt): ToolState {
    if (Math.hypot(at.sx - this.from.sx, at.sy - this.from.sy) <= DRAG_PX) return this;
    const { from, editor } = this;
    if (editor.picks.mode === "vertices" && !from.shift && pickedCornerAt(editor, from.sx, from.sy))
      return new CornerDrag(editor, from).move(at);
    if (editor.picks.easing || editor.picks.drag === "brush")
      return new PickBrush(editor, from).move(at);
    return (
      editor.picks.drag === "lasso" ? new PickLasso(editor, from) : new PickBox(editor, from)
    ).move(at);
  }

  up(at: PointerAt): ToolState {
    const { from, editor } = this;
    const now = performance.now();
    const double =
      now - lastClick.time < DOUBLE_MS &&
      Math.hypot(at.sx - lastClick.sx, at.sy - lastClick.sy) < DRAG_PX;
    lastClick = { time: now, sx: at.sx, sy: at.sy };
    const add = from.shift || from.ctrl;
    void triangleAt(editor, from.x, from.y).then((hit) => {
      if (hit) return editor.picks.click(hit.object, hit.t, hit.point, { add, double });
      // Empty surface: what is selected is let go, but drawn seams are not lost by a panel of the hand.
      if (!add && editor.picks.mode !== "edges" && editor.picks.mode !== "path")
        editor.picks.clear();
      editor.picks.endPath();
      return undefined;
    });
    return editor.tools.rest;
  }

  cancel(): ToolState {
    return this.editor.tools.rest;
  }
}

/** A box is drawn; the faces, edges or vertices that lie in it are selected. */
class PickBox extends Boxing {
  protected override pick(add: boolean): void {
    void pickBox(this.editor, this.box, add);
  }
}

/** A line is drawn round faces, edges or vertices. */
export class PickLasso extends Drawing {
  readonly name = "lasso";

  get shape(): Shape {
    return this.points;
  }

  up(): ToolState {
    const { points, editor, from } = this;
    const islands = editor.document.model?.islandsWithin(points) ?? [];
    void pickWithin(editor, islands, ([x, y]) => inShape(x, y, points), from.shift || from.ctrl);
    editor.drawn();
    return editor.tools.rest;
  }
}

/**
 * What the brush passes over is selected, on top of what is; with Ctrl it is let go of. Picked
 * faces may be eased at once.
 */
export class PickBrush extends Drawing {
  readonly name = "brush";

  get shape(): Shape {
    return this.points;
  }

  up(): ToolState {
    const { points, editor, from } = this;
    const { picks } = editor;
    const reach = picks.brush / editor.camera.scale;
    const near = ([x, y]: [number, number]) => nearLine(x, y, points) <= reach;
    const xs = points.filter((_, k) => k % 2 === 0);
    const ys = points.filter((_, k) => k % 2 === 1);
    const box = {
      minX: Math.min(...xs) - reach,
      minY: Math.min(...ys) - reach,
      maxX: Math.max(...xs) + reach,
      maxY: Math.max(...ys) + reach,
    };
    const islands = editor.document.model?.islandsIn(box) ?? [];
    if (picks.easing) picks.clear();
    void pickWithin(editor, islands, near, true, from.ctrl && !picks.easing).then(() => {
      if (picks.easing) editor.onEased?.();
    });
    editor.drawn();
    return editor.tools.rest;
  }
}

/** Distance of a point from a line of x, y, x, y. */
function nearLine(x: number, y: number, line: Shape): number {
  let least = Math.hypot(x - line[0], y - line[1]);
  for (let k = 0; k + 3 < line.length; k += 2) {
    const [ax, ay] = [line[k], line[k + 1]];
    const [dx, dy] = [line[k + 2] - ax, line[k + 3] - ay];
    const t = Math.max(0, Math.min(1, ((x - ax) * dx + (y - ay) * dy) / (dx * dx + dy * dy || 1)));
    least = Math.min(least, Math.hypot(x - ax - t * dx, y - ay - t * dy));
  }
  return least;
}

/** Picked corners follow the pointer; to whole texels with Ctrl. */
export class CornerDrag extends State {
  readonly name = "dragging";
  /** Screen px so far. */
  by: [number, number] = [0, 0];

  constructor(
    editor: State["editor"],
    private from: PointerAt,
  ) {
    super(editor);
  }

  /** px of the sheet, to the right and up. */
  private inPx(at: PointerAt): [number, number] {
    const px = this.editor.document.map.pxPerUnit(
      this.editor.document.map.tileAt(this.from.x, this.from.y),
    );
    const way: [number, number] = [(at.x - this.from.x) * px, (at.y - this.from.y) * px];
    return at.ctrl ? [Math.round(way[0]), Math.round(way[1])] : way;
  }

  move(at: PointerAt): ToolState {
    this.by = [at.sx - this.from.sx, at.sy - this.from.sy];
    this.editor.drawn();
    return this;
  }

  up(at: PointerAt): ToolState {
    this.editor.onCornersMoved?.(this.inPx(at));
    this.editor.drawn();
    return this.editor.tools.rest;
  }

  cancel(): ToolState {
    this.editor.drawn();
    return this.editor.tools.rest;
  }
}
