import { CONTROLS } from "../flags.generated";
import type { LayoutInfo } from "../../api/client";
import { compose, placementOf } from "../geometry/transform";
import type { PlaceEdit } from "../history/HistoryManager";
import { coveredIslands } from "../layout/covered";
import { LayoutModel } from "../layout/LayoutModel";
import type { Geometry } from "../layout/readGeometry";
import { heaped } from "../surface/spread";
import { Signal, type Heard } from "../signal";
import { islandCode } from "../style/islandStyle";
import { TableMap } from "../table/TableMap";
import type { TileRow } from "../table/tiles";

const NO_NUMBERS = new Float32Array(0);

export type Control = { flags: number; tile: number; bundle: number; stack: number };

/** What an edit says of islands, as far as it can be shown before the server has answered. */
export type ControlEdit = Partial<Record<keyof typeof CONTROLS, boolean>> & {
  tile?: number;
  weight?: number;
};

/**
 * The layout on the table: base layouts, placements, controls; what the server confirmed, and what
 * is on its way to it.
 */
export class LayoutDocument {
  private readonly raised = new Signal();
  readonly signal: Heard = this.raised;
  info: LayoutInfo | null = null;
  /** The last layout whose figures came; while newer ones are made they stay in sight as old ones. */
  private measured: LayoutInfo | null = null;
  geometry: Geometry | null = null;
  /** Whether the files of the model all stand at the origin, one in the other. */
  heaped = false;
  model: LayoutModel | null = null;
  /** Islands that lie on another one of their stack. */
  covered: Uint8Array = new Uint8Array(0);
  /** Islands that are put out of sight. */
  hidden: ReadonlySet<number> = new Set();
  /** What the server said last, while an edit is on its way. */
  private confirmed: LayoutInfo | null = null;
  /** Placements as the server said them last, and edits of them that are on their way. */
  private served: Float32Array = new Float32Array(0);
  private edits: { id: number; edit: PlaceEdit; revision: number | null }[] = [];
  private nextEdit = 1;
  private saidOf: { of: unknown; islands: number[] } | null = null;
  private mapped: { of: unknown; map: TableMap } | null = null;

  get anchors(): Float32Array {
    return this.model?.anchors ?? NO_NUMBERS;
  }

  /** Take a layout; says whether its islands are those that were there, and whether its sheets are. */
  take(
    info: LayoutInfo,
    placements: Float32Array,
    geometry: Geometry,
  ): { sameIslands: boolean; sameSheets: boolean } {
    const before = this.geometry === geometry ? this.model : null;
    const sheets = this.tiles.map((tile) => tile.number).join();
    const sizes = this.map;
    if (info.figures) this.measured = info;
    this.info = { ...info, figures: info.figures ?? this.figuresFor(info) };
    this.confirmed = null;
    if (this.geometry !== geometry) this.heaped = heaped(geometry, this.fileOf);
    this.geometry = geometry;
    this.served = placements;
    // What the server has in this layout is no edit any more.
    this.edits = before
      ? this.edits.filter(({ revision }) => revision === null || revision > info.revision.id)
      : [];
    const shown = this.withEdits();
    if (before && sizes === this.map) {
      const changed = differing(before.placements, shown);
      this.model = changed.length ? before.moved(shown, changed) : before;
    } else this.model = new LayoutModel(geometry.base, shown, this.map);
    if (before) this.model.hidden = this.hidden;
    this.covered = coveredIslands(this.model.bounds, info.controls.stack);
    this.raised.raise();
    return {
      sameIslands: before !== null,
      sameSheets: this.tiles.map((tile) => tile.number).join() === sheets,
    };
  }

  /** The file that an object is of. */
  readonly fileOf = (object: number): string | undefined =>
    this.info?.objects.find(({ id }) => id === object)?.file;

  /** Figures of the layout before, where it is of the same islands. */
  private figuresFor(info: LayoutInfo): LayoutInfo["figures"] {
    const before = this.measured;
    const same = before && JSON.stringify(contentsOf(before)) === JSON.stringify(contentsOf(info));
    return same ? before.figures : null;
  }

  /** Whether the figures are those of what is shown, not of a layout before it. */
  get isMeasured(): boolean {
    return this.measured?.revision.id === this.info?.revision.id && !this.edits.length;
  }

  /** Figures of the whole layout, or of the last one that had any. */
  get totals(): LayoutInfo["figures"] {
    return this.info ? (this.info.figures ?? this.measured?.figures ?? null) : null;
  }

  /** Show an edit of places at once; the number to confirm or refuse it by. */
  apply(edit: PlaceEdit): number {
    const id = this.nextEdit++;
    this.edits.push({ id, edit, revision: null });
    this.replace(this.withEdits(), edit.islands);
    return id;
  }

  /** The server has made a revision of an edit; it is shown as an edit until that revision comes. */
  confirm(id: number, revision: number): void {
    this.edits = this.edits.map((row) => (row.id === id ? { ...row, revision } : row));
    if (this.info && this.info.revision.id >= revision)
      this.edits = this.edits.filter((row) => row.id !== id);
  }

  /** The server did not take an edit of places: the islands lie where they lay. */
  refuse(id: number): void {
    const gone = this.edits.find((row) => row.id === id);
    this.edits = this.edits.filter((row) => row.id !== id);
    if (gone) this.replace(this.withEdits(), gone.edit.islands);
  }

  private withEdits(): Float32Array {
    if (!this.edits.length) return this.served;
    const out = this.served.slice();
    for (const { edit } of this.edits)
      edit.islands.forEach((island, k) => {
        if (6 * island < out.length)
          out.set(
            compose(edit.moves[edit.moves.length > 1 ? k : 0], placementOf(out, island)),
            6 * island,
          );
      });
    return out;
  }

  private replace(placements: Float32Array, islands: number[]): void {
    if (!this.model) return;
    this.model = this.model.moved(
      placements,
      islands.filter((island) => 6 * island < placements.length),
    );
    this.covered = coveredIslands(this.model.bounds, this.info?.controls.stack ?? []);
    this.raised.raise();
  }

  /** Islands that are not drawn and not met for a while; returns those that were hidden before. */
  hide(islands: ReadonlySet<number>): ReadonlySet<number> {
    const before = this.hidden;
    this.hidden = islands;
    if (this.model) this.model.hidden = islands;
    this.raised.raise();
    return before;
  }

  clear(): void {
    this.info = this.geometry = this.model = this.confirmed = this.measured = null;
    this.edits = [];
    this.raised.raise();
  }

  /** Show what an edit of controls will give; the server's answer confirms it, or `takeBack` undoes it. */
  expect(islands: number[], edit: ControlEdit): void {
    if (!this.info) return;
    const { flags, tile, weight } = this.info.controls;
    const controls = {
      ...this.info.controls,
      flags: [...flags],
      tile: [...tile],
      weight: [...weight],
    };
    for (const island of islands) {
      for (const [name, bit] of Object.entries(CONTROLS)) {
        const on = edit[name as keyof typeof CONTROLS];
        if (on !== undefined)
          controls.flags[island] = on
            ? controls.flags[island] | bit
            : controls.flags[island] & ~bit;
      }
      if (edit.tile !== undefined) controls.tile[island] = edit.tile;
      if (edit.weight !== undefined) controls.weight[island] = edit.weight;
    }
    this.confirmed ??= this.info;
    this.info = { ...this.info, controls };
    this.raised.raise();
  }

  /** The server did not take the edit: what it confirmed last is shown again. */
  takeBack(): void {
    if (!this.confirmed) return;
    this.info = this.confirmed;
    this.confirmed = null;
    this.raised.raise();
  }

  /** Number, width and height in px, label and frozen of every tile. */
  get tiles(): TileRow[] {
    const tiles = (this.info?.revision.tiles ?? [[1001, 2048, 2048]]) as [
      number,
      number,
      number,
      string?,
      boolean?,
    ][];
    return tiles
      .map(([number, width, height, label, frozen]) => ({
        number,
        width,
        height,
        label: label ?? "",
        frozen: frozen ?? false,
      }))
      .sort((a, b) => a.number - b.number);
  }

  /** px that are wanted between islands, and to the edges of the sheets. */
  get padding(): number {
    return this.info?.revision.padding ?? 0;
  }

  get margin(): number {
    return this.info?.revision.margin ?? 0;
  }

  /** Number, width and height of the first tile in px. */
  get tile(): [number, number, number] {
    const first = this.tiles[0];
    return [first.number, first.width, first.height];
  }

  /** Where UVs lie on the table. */
  get map(): TableMap {
    const tiles = this.info?.revision.tiles;
    if (!this.mapped || this.mapped.of !== tiles) {
      const same = this.mapped && JSON.stringify(this.mapped.of) === JSON.stringify(tiles);
      this.mapped = { of: tiles, map: same ? this.mapped!.map : new TableMap(this.tiles) };
    }
    return this.mapped.map;
  }

  get count(): number {
    return this.info?.world_area.length ?? 0;
  }

  /** What was said about an island: locks, tile, bundle, stack. */
  control(island: number): Control {
    const c = this.info?.controls;
    return {
      flags: c?.flags[island] ?? 0,
      tile: c?.tile[island] ?? 0,
      bundle: c?.bundle[island] ?? -1,
      stack: c?.stack[island] ?? -1,
    };
  }

  /** Islands that something was said of: locks, tile, bundle or stack. */
  get said(): readonly number[] {
    const c = this.info?.controls;
    if (!c) return [];
    if (this.saidOf?.of !== c)
      this.saidOf = {
        of: c,
        islands: c.flags.flatMap((flags, i) =>
          flags || c.tile[i] || c.stack[i] >= 0 || c.bundle[i] >= 0 ? [i] : [],
        ),
      };
    return this.saidOf.islands;
  }

  /** Islands that share a bundle or stack. */
  mates(kind: "bundle" | "stack", island: number): number[] {
    const groups = this.info?.controls?.[kind] ?? [];
    return groups[island] === undefined || groups[island] < 0
      ? [island]
      : groups.flatMap((g, i) => (g === groups[island] ? [i] : []));
  }

  density(island: number): number | null {
    return this.info?.figures?.island_density[island] ?? null;
  }

  /** Density as it would be with a weight of 1: what is held against the house band. */
  weighted(island: number): number | null {
    const density = this.density(island);
    const weight = this.info?.controls?.weight[island] ?? 1;
    return density === null ? null : density / (weight * (this.objectOf(island)?.weight ?? 1));
  }

  flags(island: number): number {
    return this.info?.figures?.island_flags[island] ?? 0;
  }

  flagged(flag: number): number[] {
    return (this.info?.figures?.island_flags ?? []).flatMap((flags, island) =>
      flags & flag ? [island] : [],
    );
  }

  objectOf(island: number) {
    return this.info?.objects.find(
      (o) => island >= o.first_island && island < o.first_island + o.islands,
    );
  }

  /** Number of an island in its object, from 1, wherever the others lie. */
  number(island: number): number {
    const object = this.objectOf(island);
    return object ? numberIn(object, island) : island + 1;
  }

  /** What an island is known by in every layout: its object, the channel, and its number there. */
  keyOf(island: number): string {
    const object = this.objectOf(island);
    return object ? `${object.id} ${object.channel} ${numberIn(object, island)}` : "";
  }

  /** Islands of this layout that are known by such keys. */
  withKeys(keys: ReadonlySet<string>): number[] {
    if (!keys.size) return [];
    return (this.info?.objects ?? []).flatMap((o) =>
      Array.from({ length: o.islands }, (_, k) => o.first_island + k).filter((island) =>
        keys.has(`${o.id} ${o.channel} ${numberIn(o, island)}`),
      ),
    );
  }

  /** The sewing label of an island. */
  code(island: number): string {
    const object = this.objectOf(island);
    return object ? islandCode(object.name, numberIn(object, island)) : "";
  }
}

/** Number in an object of an island of the layout, from 1; parts keep the numbers of the whole. */
export function numberIn(
  object: { first_island: number; part?: number[] | null },
  island: number,
): number {
  const k = island - object.first_island;
  return (object.part?.[k] ?? k) + 1;
}

/** Islands whose placements differ. */
function differing(one: Float32Array, two: Float32Array): number[] {
  const out: number[] = [];
  if (one === two) return out;
  for (let i = 0; i < two.length; i += 6) {
    for (let k = 0; k < 6; k++) {
      if (one[i + k] !== two[i + k]) {
        out.push(i / 6);
        break;
      }
    }
  }
  return out;
}

/** Which islands a layout is of. */
const contentsOf = (info: LayoutInfo) => info.objects.map((o) => [o.id, o.base, o.part, o.islands]);
