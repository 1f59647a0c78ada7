import { againstBand, type House } from "./density/logScale";
import { batch, computed } from "@preact/signals-core";
import type { Finding, LayoutInfo, Report } from "../api/client";
import type { Standing } from "./surface/spread";
import { between, union, type Bounds } from "./affine/affine";
import { TableCamera } from "./camera/TableCamera";
import { LayoutDocument, type ControlEdit } from "./document/LayoutDocument";
import { FiguresManager } from "./figures/FiguresManager";
import { LayoutModel } from "./layout/LayoutModel";
import type { Geometry } from "./layout/readGeometry";
import { MapsManager } from "./maps/MapsManager";
import { HistoryManager, type PlaceEdit } from "./history/HistoryManager";
import { Looks } from "./render/Looks";
import { Selection } from "./selection/Selection";
import { Signal, type Heard } from "./signal";
import type { ViewAs } from "./style/views";
import { SIDE_TABLE } from "./table/paper";
import { PicksManager } from "./picks/PicksManager";
import { SnapManager, type Room } from "./snap/SnapManager";
import { boundsAfter } from "./spatial/Outlines";
import { moving, type Transform } from "./geometry/transform";
import { Gesture, type Verb } from "./tools/Gesture";
import { ToolManager } from "./tools/ToolManager";
import { ViewManager, type Worn } from "./view/ViewManager";

const MOVE_MS = 480;
const PREVIEW_MS = 160;
/** Screen px at the left of the table that the tools take. */
export const TOOLS_PX = 96;

/** Names of what a component can listen to. */
export type Topic =
  | "document"
  | "selection"
  | "figures"
  | "view"
  | "pointer"
  | "looks"
  | "maps"
  | "frames"
  | "gesture"
  | "snap"
  | "history"
  | "tools"
  | "zoom"
  | "painted"
  | "picks";

/** Wires the managers together: one layout, one selection, one way to look at it. No React in here. */
export class Editor {
  readonly document = new LayoutDocument();
  readonly selection = new Selection();
  readonly figures = new FiguresManager();
  readonly camera = new TableCamera();
  readonly view = new ViewManager(() => this.looks.restyle());
  readonly maps = new MapsManager();
  readonly looks = new Looks(this.document, this.figures, this.view, this.selection);
  readonly picks = new PicksManager(this.document);
  readonly gesture = new Gesture(this);
  readonly snap = new SnapManager();
  readonly history = new HistoryManager({
    apply: (edit) => {
      const id = this.document.apply(edit);
      this.showPlaces(edit.islands);
      return id;
    },
    confirm: (id, revision) => this.document.confirm(id, revision),
    refuse: (id) => {
      this.document.refuse(id);
      this.showPlaces(Array.from({ length: this.document.count }, (_, i) => i));
    },
  });
  readonly tools: ToolManager = new ToolManager(this);
  /**
   * Told where the selected islands shall go, when a region was drawn: px from the corner of a tile
   * (0 for none), whether they are scaled to fill it.
   */
  onRegion: ((drawn: { tile: number; region: [number, number][]; grow: boolean }) => void) | null =
    null;
  /** Told when a command or key can move nothing, as locks hold all that is selected. */
  onHeld: ((islands: number) => void) | null = null;
  /** Copies of what the views show now, as addresses of images. */
  readonly images = new Map<"table" | "model", () => string>();
  /** Told how far the selected corners were dragged: px of their sheet, to the right and up. */
  onCornersMoved: ((by: [number, number]) => void) | null = null;
  /** Told when the brush selected faces that shall be eased. */
  onEased: (() => void) | null = null;
  /** Whether islands can be taken by hand: where the stage belongs to the table. */
  handsOn = true;
  /** Whether the view goes to what comes onto the side table. */
  followsNews = true;
  /** px at the left that lie under the tools, and under the model where it floats. */
  private readonly covered = { tools: 0, model: 0 };
  /** Raised once, when the table was painted with a layout for the first time. */
  private readonly firstPaint = new Signal();
  readonly painted: Heard = this.firstPaint;
  private animation = 0;
  private framed = false;
  /** The camera as it was when all of the table was brought into sight. */
  private whole = { x: NaN, y: NaN, scale: NaN };

  /** The signal of a topic. */
  signal(topic: Topic): Heard {
    switch (topic) {
      case "document":
        return this.document.signal;
      case "selection":
        return this.selection.signal;
      case "figures":
        return this.figures.signal;
      case "view":
        return this.view.signal;
      case "pointer":
        return this.view.pointer;
      case "looks":
        return this.looks.signal;
      case "maps":
        return this.maps.signal;
      case "frames":
        return this.looks.frames;
      case "zoom":
        return this.camera.zoomed;
      case "gesture":
        return this.gesture.signal;
      case "snap":
        return this.snap.signal;
      case "history":
        return this.history.signal;
      case "tools":
        return this.tools.signal;
      case "painted":
        return this.painted;
      case "picks":
        return this.picks.signal;
    }
  }

  /** The table was painted with a layout. */
  firstPainted(): void {
    if (this.painted.version) return;
    performance.mark("table painted");
    this.firstPaint.raise();
  }

  /** Whether the figures in sight are of another layout than the one that is shown. */
  get figuresAreOld(): boolean {
    return this.view.previewed !== null || !this.document.isMeasured;
  }

  /** Only the images change, nothing that is said about the layout. */
  drawn(): void {
    this.looks.drawn();
  }

  /** Show a layout. Islands glide from where they were when the set of islands is the same. */
  show(info: LayoutInfo, placements: Float32Array, geometry: Geometry): void {
    const { document, view } = this;
    const before = view.previewed ?? document.model?.placements;
    const revision = document.info?.revision.id;
    const picked = this.selection.list().map((island) => document.keyOf(island));
    const waited = this.waiting().length;
    const { sameIslands, sameSheets } = document.take(info, placements, geometry);
    view.setPreviewed(null);
    view.setGhost(null);
    // The same layout with its figures leaves the finding in sight.
    if (revision !== info.revision.id) this.figures.look(null);
    // A new sheet is brought into sight.
    if (!sameSheets) this.framed = false;
    if (!sameIslands) {
      // What is dragged is not there any more.
      this.tools.cancel();
      this.gesture.cancel();
      this.looks.begin(geometry.base.count);
      document.hide(new Set());
      // The same islands of the same objects stay selected, whatever their numbers in this layout are.
      this.selection.set(document.withKeys(new Set(picked)));
    }
    this.looks.restyle();
    const now = document.model?.placements ?? placements;
    this.glide(sameIslands && before ? before : now, now);
    if (!this.framed) this.frameTable();
    else {
      if (!sameIslands) this.frameWhatCame();
      this.frameWhatWaits(waited);
    }
  }

  /** Nothing is shown any more: another project comes. */
  clear(): void {
    cancelAnimationFrame(this.animation);
    this.framed = false;
    this.selection.clear();
    this.picks.forget();
    this.figures.clear();
    this.view.clear();
    this.document.clear();
    this.looks.clear();
  }

  /** Show at once what an edit of controls will give. */
  expect(islands: number[], edit: ControlEdit): void {
    this.document.expect(islands, edit);
    this.looks.touch(islands);
  }

  /** The server refused an edit: what it confirmed is shown again. */
  takeBack(): void {
    this.document.takeBack();
    this.looks.restyle();
  }

  /** Show the best layout of a search that is still at work; nothing is kept. */
  preview(placements: Float32Array): void {
    const { geometry, info, model } = this.document;
    if (!geometry || !info || placements.length !== 6 * geometry.base.count) return;
    const from = this.view.previewed ?? model?.placements ?? placements;
    const first = this.view.previewed === null;
    this.view.setPreviewed(placements);
    if (first) this.looks.restyle();
    this.glide(from, placements, PREVIEW_MS);
  }

  /** Go back from a preview to the layout that is kept. */
  endPreview(): void {
    const from = this.view.previewed;
    if (!from) return;
    this.view.setPreviewed(null);
    this.looks.restyle();
    if (this.document.model) this.glide(from, this.document.model.placements);
  }

  /** Lay the outlines of another layout over this one; null takes them away. */
  overlay(placements: Float32Array | null): void {
    const { geometry, map } = this.document;
    this.view.setGhost(
      placements && geometry && placements.length === 6 * geometry.base.count
        ? new LayoutModel(geometry.base, placements, map)
        : null,
    );
    this.drawn();
  }

  private glide(from: Float32Array, to: Float32Array, time = MOVE_MS): void {
    cancelAnimationFrame(this.animation);
    const { textures } = this.looks;
    const { geometry, map } = this.document;
    const still =
      from === to || same(from, to) || matchMedia("(prefers-reduced-motion: reduce)").matches;
    const start = performance.now();
    const { model } = this.document;
    const homes =
      model &&
      (model.placements === to ? model : model.moved(to, everything(model.base.count))).homes;
    if (geometry && homes) textures?.setCells(map.cells(homes));
    const step = () => {
      const t = still ? 1 : Math.min(1, (performance.now() - start) / time);
      const eased = 1 - (1 - t) ** 3;
      textures?.setPlacements(t >= 1 ? to : between(from, to, eased));
      this.drawn();
      if (t < 1) this.animation = requestAnimationFrame(step);
    };
    step();
  }

  /** So many px at the left are covered by what floats over the table. */
  setFloats(px: number): void {
    if (this.covered.model === px) return;
    this.covered.model = px;
    if (this.framed && this.seesWhole) this.frameTable();
  }

  setHandsOn(on: boolean): void {
    this.handsOn = on;
    this.tools.cancel();
    if (this.tools.tool !== "take") this.tools.use("take");
    const whole = this.framed && this.seesWhole;
    this.camera.left = this.covered.tools = on ? TOOLS_PX : 0;
    if (whole) this.frameTable();
    this.drawn();
  }

  /** Do something to what is selected in one go, as typed numbers and commands do; locked islands stay. */
  transform(verb: Verb, by: Transform): Promise<void> {
    this.tools.endNudge();
    const { gesture, selection, document } = this;
    if (!document.model || !selection.size) return Promise.resolve();
    if (!gesture.begin(verb)) return this.sayHeld();
    gesture.show(by);
    return gesture.drop();
  }

  /**
   * Do something to each selected island by itself, by what is worked out from their boxes; locked
   * ones stay and do not count.
   */
  moveEach(
    work: (boxes: Bounds[], islands: number[]) => Transform[],
    verb: Verb = "move",
  ): Promise<void> {
    this.tools.endNudge();
    const { gesture, document } = this;
    if (!document.model) return Promise.resolve();
    if (!gesture.begin(verb)) return this.sayHeld();
    const islands = gesture.outlines!.islands;
    gesture.cancel();
    return this.place(
      gesture.editFor(
        islands,
        work(
          islands.map((island) => document.model!.bounds[island]),
          islands,
        ),
        verb,
      ),
    );
  }

  /** All that is selected is held by locks: whoever shows words says so. */
  sayHeld(): Promise<void> {
    if (this.gesture.held.length) this.onHeld?.(this.gesture.held.length);
    return Promise.resolve();
  }

  /** Show an edit of places at once, and send it. */
  place(edit: PlaceEdit): Promise<void> {
    return this.history.place(edit);
  }

  /** Islands lie elsewhere: the images follow. */
  private showPlaces(islands: number[]): void {
    const { model, map } = this.document;
    cancelAnimationFrame(this.animation);
    if (model)
      this.looks.textures?.place(islands, model.placements, (island) =>
        map.cellOf(model.homes[island]),
      );
    this.looks.touch(islands);
  }

  /** The box on the table round what is selected; null when nothing is, or while it is being moved. */
  get frame(): Bounds | null {
    return this.framing.value;
  }

  /** It is worked out anew when one of these was raised, and asked for. */
  private readonly framing = computed((): Bounds | null => {
    const { document, selection, gesture, view } = this;
    void [document, selection, gesture, view].map(({ signal }) => signal.version);
    if (!document.model || !selection.size || gesture.active || view.previewed) return null;
    const box = document.model.boundsOf(selection.list());
    return box.minX <= box.maxX ? box : null;
  });

  /** What a group that was moved so far can snap to. */
  roomAt(dx: number, dy: number): Room {
    const { map, model, padding, margin } = this.document;
    const group = this.gesture.outlines!;
    const b = boundsAfter(group.bounds, moving(dx, dy));
    const number = map.tileAt(0.5 * (b.minX + b.maxX), 0.5 * (b.minY + b.maxY));
    const px = map.pxPerUnit(number);
    // Only lines of islands nearby draw; a small one among thousands does not look at hundreds.
    const extent = Math.max(b.maxX - b.minX, b.maxY - b.minY);
    const reach = 0.25 * extent + Math.min(60 / this.camera.scale, 4 * extent + (4 * padding) / px);
    return {
      sheet: number ? map.sheet(number) : null,
      boxes: group.near(moving(dx, dy), reach).map((island) => model!.bounds[island]),
      padding: padding / px,
      margin: margin / px,
      texel: 1 / px,
    };
  }

  setView(viewAs: ViewAs): void {
    this.view.setAs(viewAs);
    this.looks.restyle();
  }

  setSquare(square: { px?: number; metres?: number } | null): void {
    this.view.setSquare(square);
    this.looks.drawn();
    this.looks.turned();
  }

  setWorn(worn: Worn | null): void {
    this.view.setWorn(worn);
    this.looks.drawn();
    this.looks.turned();
  }

  setHouse(change: Partial<House>): void {
    if (this.view.setHouse(change)) this.looks.restyle();
  }

  /** Islands outside the house band, each as its weight has it. */
  outsideBand(): number[] {
    const known = this.document.info?.figures?.island_density ?? [];
    return known.flatMap((_, island) => (this.againstBand(island) === 0 ? [] : [island]));
  }

  /** Two selected objects, or two islands of one, with their densities, the denser one first. */
  densityFactor(): { names: string[]; densities: number[]; factor: number } | null {
    const { document } = this;
    const info = document.info;
    const picked = this.selection.list();
    const objects = [...new Set(picked.map((island) => document.objectOf(island)))];
    const groups: [string, number[]][] =
      objects.length === 2
        ? objects.map((o) => [o?.name ?? "", picked.filter((i) => document.objectOf(i) === o)])
        : picked.length === 2
          ? picked.map((i) => [`island ${document.number(i)}`, [i]])
          : [];
    if (!info || groups.length !== 2) return null;
    const rows = groups.map(([name, islands]) => {
      const known = islands.filter((i) => (document.density(i) ?? 0) > 0);
      const area = known.reduce((sum, i) => sum + info.world_area[i], 0);
      const texels = known.reduce(
        (sum, i) => sum + document.density(i)! ** 2 * info.world_area[i],
        0,
      );
      return { name, density: Math.sqrt(texels / area) };
    });
    if (!rows.every((row) => row.density > 0)) return null;
    rows.sort((a, b) => b.density - a.density);
    return {
      names: rows.map((row) => row.name),
      densities: rows.map((row) => row.density),
      factor: rows[0].density / rows[1].density,
    };
  }

  /** -1 for an island below the house band as its weight has it, 1 above, 0 else. */
  againstBand(island: number): -1 | 0 | 1 {
    const own = this.document.weighted(island);
    return own === null ? 0 : againstBand(own, this.view.band);
  }

  hover(island: number): void {
    if (island === this.view.hovered) return;
    this.looks.touch([this.view.setHovered(island), island]);
  }

  select(change: (selection: Selection) => void): void {
    const before = this.selection.list();
    batch(() => {
      change(this.selection);
      this.looks.touch(new Set([...before, ...this.selection.list()]));
    });
  }

  /** Islands that are not drawn and not met for a while; the others are shown again. */
  hide(islands: Iterable<number>): void {
    const { document } = this;
    const now = new Set(islands);
    batch(() => {
      const before = document.hide(now);
      this.select((s) => s.remove(now));
      this.looks.touch(new Set([...before, ...now]));
    });
  }

  setReport(report: Report | null, stale: boolean): void {
    const changed = this.figures.report !== report;
    this.figures.setReport(report, stale);
    if (changed) this.looks.restyle();
  }

  /** Show all there is: the sheets, what lies beside them, and the side table where something waits on it. */
  frameTable(): void {
    const all = this.everywhere();
    const { tools } = this.covered;
    // What floats at the left lies beside the sheets where that makes them no smaller.
    const beside = Math.max(tools, this.covered.model);
    const { width, height } = this.camera;
    const wide = ((height - 36) * (all.maxX - all.minX)) / Math.max(all.maxY - all.minY, 1e-9);
    this.camera.left = width - beside - 16 >= wide ? beside : tools;
    this.camera.frame(all, 8, 20);
    this.framed = this.camera.width > 1 && this.document.info !== null;
    const { x, y, scale } = this.camera;
    this.whole = { x, y, scale };
    this.drawn();
  }

  /** Show a tile. */
  frameTile(number: number): void {
    this.camera.frame(this.document.map.sheet(number), 8, 20);
    this.drawn();
  }

  /** The sheets, and islands beside them but for such as lie farther away than a tile: those are findings. */
  private everywhere(): Bounds {
    const { map, tiles, model } = this.document;
    const sheets = tiles.map((tile) => map.sheet(tile.number)).reduce(union);
    const [w, h] = map.first;
    const near = {
      minX: Math.min(sheets.minX, w * SIDE_TABLE.left) - w,
      minY: sheets.minY - h,
      maxX: sheets.maxX + w,
      maxY: sheets.maxY + h,
    };
    let all = sheets;
    for (const b of model?.bounds ?? []) {
      if (b.minX < near.minX || b.minY < near.minY || b.maxX > near.maxX || b.maxY > near.maxY)
        continue;
      if (b.maxX <= 0 && this.view.sideFolded) continue;
      all = union(all, b);
      if (b.maxX <= 0) all = union(all, { ...sheets, minX: w * SIDE_TABLE.left });
    }
    return all;
  }

  /** Islands that wait beside the sheets. */
  private waiting(): Bounds[] {
    return (this.document.model?.bounds ?? []).filter((b) => b.maxX <= 0);
  }

  /** What came onto the side table is seen at once; after that the view is the user's. */
  private frameWhatWaits(before: number): void {
    const waiting = this.waiting();
    const { camera } = this;
    if (!this.followsNews || waiting.length <= before || camera.width <= 1) return;
    const [minX, maxY] = camera.toTable(0, 0);
    const [maxX, minY] = camera.toTable(camera.width, camera.height);
    const seen = waiting.every(
      (b) => b.minX >= minX && b.maxX <= maxX && b.minY >= minY && b.maxY <= maxY,
    );
    if (!seen) this.frameTable();
  }

  private get seesWhole(): boolean {
    const { x, y, scale } = this.camera;
    return x === this.whole.x && y === this.whole.y && scale === this.whole.scale;
  }

  /** The table has another size: who saw all of it sees all of it; a part that was looked at stays in sight. */
  resizeTable(width: number, height: number): void {
    const { camera } = this;
    const stays = this.framed && !this.seesWhole;
    const before = Math.min(camera.width, camera.height);
    camera.resize(width, height);
    if (width <= 1) return;
    if (!stays) return this.frameTable();
    camera.lookAt(
      camera.x,
      camera.y,
      (camera.scale * Math.min(camera.width, camera.height)) / before,
    );
    this.drawn();
  }

  /** Other islands are there now: where none of them is in sight, all are shown. */
  private frameWhatCame(): void {
    const { model } = this.document;
    const { camera } = this;
    if (!model || !this.document.count || camera.width <= 1) return;
    const [minX, maxY] = camera.toTable(0, 0);
    const [maxX, minY] = camera.toTable(camera.width, camera.height);
    if (model.islandsIn({ minX, minY, maxX, maxY }).length) return;
    const all = model.boundsOf(everything(this.document.count));
    camera.frame(
      union(
        all,
        this.document.tiles.map((tile) => this.document.map.sheet(tile.number)).reduce(union),
      ),
      8,
      20,
    );
    this.drawn();
  }

  /** Show how much of each island is seen, or that nobody has looked. */
  showVisibility(share: number[] | null): void {
    if (this.figures.setVisibility(share) && this.view.as === "visibility") this.looks.restyle();
  }

  /** With or without the side table in sight. */
  foldSide(folded: boolean): void {
    this.view.setSideFolded(folded);
    this.frameTable();
  }

  /** Look at a finding: its islands are selected, its spot comes into sight in both views. */
  showFinding(finding: Finding | null): void {
    this.figures.look(finding);
    if (!finding) return this.drawn();
    const { geometry, map, model } = this.document;
    const islands = finding.islands.filter((i) => i < (geometry?.base.count ?? 0));
    this.select((selection) => selection.set(islands));
    this.lookAtModel(islands.length ? "" : finding.object);
    const spots = finding.spots.map(([u, v]) => map.place(u, v, finding.tile));
    if (!spots.length || !model) return this.drawn();
    const xs = spots.map(([x]) => x);
    const ys = spots.map(([, y]) => y);
    // Near enough to see the spot, and enough around it to know where that is.
    const box = model.boundsOf(islands);
    const extent = islands.length ? Math.max(box.maxX - box.minX, box.maxY - box.minY) : 0.1;
    const room = Math.min(Math.max(0.35 * extent, 0.012), 0.2);
    this.camera.frame(
      {
        minX: Math.min(...xs) - room,
        minY: Math.min(...ys) - room,
        maxX: Math.max(...xs) + room,
        maxY: Math.max(...ys) + room,
      },
      10,
    );
    this.drawn();
  }

  /** Show what is selected in both views. */
  frameSelection(): void {
    const islands = this.selection.list();
    const { model } = this.document;
    const [held] = this.picks.objects();
    if (!islands.length && held !== undefined)
      return this.lookAtModel(this.document.info?.objects.find((o) => o.id === held)?.name ?? "");
    if (!model || !islands.length) return this.frameTable();
    const b: Bounds = model.boundsOf(islands);
    const room = Math.max(b.maxX - b.minX, b.maxY - b.minY, 0.05) * 0.6;
    this.camera.frame(
      { minX: b.minX - room, minY: b.minY - room, maxX: b.maxX + room, maxY: b.maxY + room },
      10,
    );
    this.lookAtModel("");
    this.drawn();
  }

  /** Look at what is selected on the model, or at all of it, from a side. */
  lookFrom(side: string): void {
    this.view.side = side;
    this.lookAtModel("");
  }

  /** How the model stands: as was chosen, else side by side where its files all stand at the origin. */
  get standing(): Standing {
    return this.view.standing ?? (this.document.heaped ? "files apart" : "in place");
  }

  /** Other ways of showing the model. */
  showModel(how: { xray?: boolean; standing?: Standing }): void {
    this.view.showModel(how);
    if (how.standing !== undefined) this.lookFrom("Corner");
    this.looks.turned();
  }

  /** Pick all faces of an object that may have no islands yet, and look at it. */
  async pickObject(id: number, add = false): Promise<void> {
    const { picks } = this;
    if (!add) picks.clear();
    picks.use("faces");
    const surface = await picks.ready(id);
    if (!surface) return;
    picks.change(id, "faces", "add", surface.faces);
    this.lookAtModel(this.document.info?.objects.find((o) => o.id === id)?.name ?? "");
  }

  lookAtModel(object: string): void {
    this.view.focusObject = object;
    this.view.frameModel++;
    this.looks.turned();
  }
}

const everything = (count: number): number[] => Array.from({ length: count }, (_, i) => i);

const same = (one: Float32Array, two: Float32Array): boolean =>
  one.length === two.length && one.every((value, i) => value === two[i]);
