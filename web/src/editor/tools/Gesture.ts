import { CONTROLS, MEASURED } from "../flags.generated";
import type { LayoutDocument } from "../document/LayoutDocument";
import type { Editor } from "../Editor";
import { IDENTITY, type Transform } from "../geometry/transform";
import type { PlaceEdit } from "../history/HistoryManager";
import { Signal, type Heard } from "../signal";
import type { SnapKind } from "../snap/SnapManager";
import { boundsAfter, Outlines, type Contact } from "../spatial/Outlines";
import { SIDE_TABLE } from "../table/paper";

export type Verb = PlaceEdit["verb"];

/** What holds islands back from being moved, turned or sized, by the bit of its lock. */
const HELD: Record<Verb, number> = {
  move: CONTROLS.lock_place,
  turn: CONTROLS.lock_place | CONTROLS.lock_rotation,
  size: CONTROLS.lock_place | CONTROLS.lock_size,
  mirror: CONTROLS.lock_place | CONTROLS.lock_rotation,
  place: CONTROLS.lock_place,
};

/** Picked islands while they are moved, turned or sized: shown at once, sent when the gesture ends. */
export class Gesture {
  private readonly raised = new Signal();
  readonly signal: Heard = this.raised;
  /** What moves; null between gestures. */
  outlines: Outlines | null = null;
  /** On the table. */
  by: Transform = IDENTITY;
  verb: Verb = "move";
  snapped: SnapKind[] = [];
  nearest: Contact | null = null;
  /** px per metre of what moves, as it lay at the start. */
  density = 0;
  /** Picked islands that a lock holds back. */
  held: number[] = [];
  private overlapped: number[] = [];

  constructor(private editor: Editor) {}

  get active(): boolean {
    return this.outlines !== null;
  }

  /** Take the selected islands that may be moved so; false when there is none. */
  begin(verb: Verb): boolean {
    const { document, selection, looks } = this.editor;
    if (!document.model) return false;
    const picked = selection.list();
    const held = picked.filter((island) => document.control(island).flags & HELD[verb]);
    const free = held.length
      ? picked.filter((island) => !(document.control(island).flags & HELD[verb]))
      : picked;
    this.held = held;
    this.verb = verb;
    this.by = IDENTITY;
    this.snapped = [];
    this.nearest = null;
    if (free.length) {
      this.outlines = new Outlines(document.model, free);
      this.density = densityOf(document, free);
      looks.setMoving(free);
    }
    this.raised.raise();
    return free.length > 0;
  }

  /** Show the islands after a transform of where they lay at the start. */
  show(by: Transform, snapped: SnapKind[] = [], nearest: Contact | null = null): void {
    if (!this.outlines) return;
    this.by = by;
    this.snapped = snapped;
    this.nearest = nearest;
    const now = this.outlines.overlapped(by);
    if (
      now.length !== this.overlapped.length ||
      now.some((island, k) => island !== this.overlapped[k])
    ) {
      const touched = [...this.overlapped, ...now];
      this.overlapped = now;
      this.editor.looks.setLaidOn(now, now.length ? this.outlines.islands : [], touched);
    }
    this.raised.raise();
    this.editor.drawn();
  }

  /** Islands that the moving ones lie on now. */
  get laidOn(): readonly number[] {
    return this.overlapped;
  }

  /** Let go: the edit is shown, and sent. */
  drop(): Promise<void> {
    const { outlines, by, verb } = this;
    const edit = outlines && !isIdentity(by) ? this.editFor(outlines.islands, by, verb) : null;
    this.end();
    return edit ? this.editor.place(edit) : Promise.resolve();
  }

  /** Everything lies where it lay. */
  cancel(): void {
    this.end();
  }

  /** An edit of islands by a transform on the table, or one each: one each in the plane of the tiles. */
  editFor(islands: number[], by: Transform | readonly Transform[], verb: Verb): PlaceEdit {
    const { model, map, info } = this.editor.document;
    const own = (k: number): Transform =>
      typeof by[0] === "number" ? (by as Transform) : (by as readonly Transform[])[k];
    const boxes = islands.map((island, k) => boundsAfter(model!.bounds[island], own(k)));
    const homes = boxes.map((b) => map.tileAt(0.5 * (b.minX + b.maxX), 0.5 * (b.minY + b.maxY)));
    const known = new Map<string, Transform>();
    const moves = islands.map((island, k) => {
      const from = model!.homes[island];
      const key = `${from} ${homes[k]} ${own(k).join()}`;
      return known.get(key) ?? known.set(key, map.inUV(own(k), from, homes[k])).get(key)!;
    });
    const flags = info?.figures?.island_flags ?? [];
    const aside = boxes.map(
      (b, k) => homes[k] === 0 && b.maxX <= SIDE_TABLE.right * map.first[0] + 1e-9,
    );
    const sideTable = aside.every(Boolean)
      ? true
      : homes.every((home) => home > 0) &&
          islands.some((island) => flags[island] & MEASURED.side_table)
        ? false
        : undefined;
    return { verb, islands, moves: known.size === 1 ? [moves[0]] : moves, sideTable };
  }

  private end(): void {
    const moved = this.outlines?.islands ?? [];
    const touched = [...moved, ...this.overlapped];
    this.outlines = null;
    this.by = IDENTITY;
    this.snapped = [];
    this.nearest = null;
    this.overlapped = [];
    this.editor.looks.setMoving([]);
    this.editor.looks.setLaidOn([], [], touched);
    this.raised.raise();
    this.editor.drawn();
  }
}

/** px per metre of some islands together. */
export function densityOf(document: LayoutDocument, islands: readonly number[]): number {
  const area = document.info?.world_area ?? [];
  let texels = 0;
  let ground = 0;
  for (const island of islands) {
    const density = document.density(island);
    if (density === null) continue;
    texels += density ** 2 * area[island];
    ground += area[island];
  }
  return ground > 0 ? Math.sqrt(texels / ground) : 0;
}

const isIdentity = (t: Transform) => IDENTITY.every((value, k) => value === t[k]);
