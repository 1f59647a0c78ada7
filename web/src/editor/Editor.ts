import { TextureLoader, type Texture, RepeatWrapping, LinearMipmapLinearFilter, SRGBColorSpace } from "three";
import type { Finding, LayoutInfo, Proof } from "../api/client";
import { between, union, type Bounds } from "./affine/affine";
import { TableCamera } from "./camera/TableCamera";
import { coveredIslands } from "./layout/covered";
import { LayoutModel } from "./layout/LayoutModel";
import type { Geometry } from "./layout/readGeometry";
import { Selection } from "./selection/Selection";
import { FLAGS, hexToRgb, islandCode } from "./style/islandStyle";
import { viewColour, type Seen, type ViewAs } from "./style/views";
import { IslandTextures, MARK } from "./style/islandTextures";
import { labelAnchors } from "./table/stitches";
import { SIDE_TABLE } from "./table/paper";
import { TableMap } from "./table/TableMap";
import type { TileRow } from "./table/tiles";

const MOVE_MS = 480;
const PREVIEW_MS = 160;

export type Control = { flags: number; tile: number; bundle: number; stack: number };

/** Bits of an island's controls. */
export const CONTROL = { place: 1, turn: 2, size: 4, mirror: 8, out: 16 } as const;

/** Everything the two views show: one layout, one selection, one way to look at it. No React in here. */
export class Editor {
  readonly selection = new Selection();
  readonly camera = new TableCamera();
  info: LayoutInfo | null = null;
  geometry: Geometry | null = null;
  model: LayoutModel | null = null;
  textures: IslandTextures | null = null;
  anchors: Float32Array = new Float32Array(0);
  /** Islands that lie on another one of their stack. */
  covered: Uint8Array = new Uint8Array(0);
  viewAs: ViewAs = "object";
  /** What was found about the layout, and whether it is about an earlier one. */
  proof: Proof | null = null;
  proofStale = true;
  /** The finding that is looked at. */
  finding: Finding | null = null;
  house = 512;
  tolerance = 0.05;
  hovered = -1;
  checker: Texture;
  /** Raised with every change that a component may show. */
  version = 0;
  /** Raised when the model looks different: moving islands on the table does not change it. */
  look = 0;
  /** Asks the model view to look at what is selected, or at an object as a whole. */
  frameModel = 0;
  focusObject = "";
  /** A layout that a search has found so far. */
  previewed: Float32Array | null = null;
  /** Another layout that is laid over this one. */
  ghost: LayoutModel | null = null;
  private listeners = new Set<() => void>();
  private frameListeners = new Set<() => void>();
  private frame = 0;
  private animation = 0;
  private framed = false;
  private mapped: { of: unknown; map: TableMap } | null = null;

  constructor() {
    this.checker = new TextureLoader().load("/api/checker.png", () => this.changed());
    this.checker.wrapS = this.checker.wrapT = RepeatWrapping;
    this.checker.minFilter = LinearMipmapLinearFilter;
    this.checker.anisotropy = 8;
    this.checker.colorSpace = SRGBColorSpace;
  }

  subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  getVersion = (): number => this.version;

  changed(): void {
    this.version++;
    for (const listener of this.listeners) listener();
    this.drawn();
  }

  /** For the views that draw every frame: islands that glide, and the camera. */
  subscribeFrames = (listener: () => void): (() => void) => {
    this.frameListeners.add(listener);
    return () => this.frameListeners.delete(listener);
  };

  getFrame = (): number => this.frame;

  /** Only the pictures change, nothing that is said about the layout. */
  drawn(): void {
    this.frame++;
    for (const listener of this.frameListeners) listener();
  }

  /** Number, width and height in px, label and frozen of every tile. */
  get tiles(): TileRow[] {
    const tiles = (this.info?.revision.tiles ?? [[1001, 2048, 2048]]) as [number, number, number, string?, boolean?][];
    return tiles.map(([number, width, height, label, frozen]) => ({ number, width, height, label: label ?? "", frozen: frozen ?? false })).sort((a, b) => a.number - b.number);
  }

  /** Number, width and height of the first tile in px. */
  get tile(): [number, number, number] {
    const first = this.tiles[0];
    return [first.number, first.width, first.height];
  }

  /** Where UVs lie on the table. */
  get map(): TableMap {
    const tiles = this.info?.revision.tiles;
    if (!this.mapped || this.mapped.of !== tiles) this.mapped = { of: tiles, map: new TableMap(this.tiles) };
    return this.mapped.map;
  }

  /** What was said about an island: locks, tile, bundle, stack. */
  control(island: number): Control {
    const c = this.info?.controls;
    return { flags: c?.flags[island] ?? 0, tile: c?.tile[island] ?? 0, bundle: c?.bundle[island] ?? -1, stack: c?.stack[island] ?? -1 };
  }

  /** Islands that share a bundle or stack. */
  mates(kind: "bundle" | "stack", island: number): number[] {
    const groups = this.info?.controls?.[kind] ?? [];
    return groups[island] === undefined || groups[island] < 0 ? [island] : groups.flatMap((g, i) => (g === groups[island] ? [i] : []));
  }

  /** Show the best layout of a search that is still at work; nothing is kept. */
  preview(placements: Float32Array): void {
    if (!this.geometry || !this.info || placements.length !== 6 * this.geometry.base.count) return;
    const from = this.previewed ?? this.model?.placements ?? placements;
    const first = this.previewed === null;
    this.previewed = placements;
    if (first) this.restyle();
    this.glide(from, placements, PREVIEW_MS);
  }

  /** Go back from a preview to the layout that is kept. */
  endPreview(): void {
    if (!this.previewed) return;
    const from = this.previewed;
    this.previewed = null;
    this.restyle();
    if (this.model) this.glide(from, this.model.placements);
  }

  /** Lay the outlines of another layout over this one; null takes them away. */
  overlay(placements: Float32Array | null): void {
    this.ghost = placements && this.geometry && placements.length === 6 * this.geometry.base.count ? new LayoutModel(this.geometry.base, placements, this.map) : null;
    this.changed();
  }

  /** Checker repeats per px: eight squares a picture, each of `checkerSquare` px in every tile. */
  get checkerRepeat(): number {
    return 1 / (8 * this.checkerSquare);
  }

  get checkerSquare(): number {
    return 2 ** Math.max(2, Math.min(7, Math.round(Math.log2(this.house / 8))));
  }

  /** Show a layout. Islands glide from where they were when the set of islands is the same. */
  show(info: LayoutInfo, placements: Float32Array, geometry: Geometry): void {
    const same = this.geometry === geometry && this.model !== null;
    const from = same ? (this.previewed ?? this.model!.placements) : placements;
    this.previewed = null;
    this.ghost = null;
    // The same layout with its figures leaves the finding in sight.
    if (this.info?.revision.id !== info.revision.id) this.finding = null;
    const grid = this.tiles.map((tile) => tile.number).join();
    this.info = info;
    // A new sheet is brought into sight.
    if (this.tiles.map((tile) => tile.number).join() !== grid) this.framed = false;
    if (!same) {
      this.geometry = geometry;
      this.textures?.dispose();
      this.textures = new IslandTextures(geometry.base.count);
      this.selection.clear();
    }
    this.model = new LayoutModel(geometry.base, placements, this.map);
    if (!same) this.anchors = labelAnchors(this.model);
    this.covered = coveredIslands(this.model.bounds, info.controls.stack);
    this.restyle();
    this.glide(from, placements);
    if (!this.framed) this.frameTable();
  }

  /** Nothing is shown any more: another project comes. */
  clear(): void {
    cancelAnimationFrame(this.animation);
    this.textures?.dispose();
    this.info = this.geometry = this.model = this.textures = this.previewed = this.ghost = this.proof = this.finding = null;
    this.anchors = new Float32Array(0);
    this.proofStale = true;
    this.framed = false;
    this.focusObject = "";
    this.selection.clear();
    this.changed();
  }

  private glide(from: Float32Array, to: Float32Array, time = MOVE_MS): void {
    cancelAnimationFrame(this.animation);
    const still = from === to || matchMedia("(prefers-reduced-motion: reduce)").matches;
    const start = performance.now();
    if (this.geometry) this.textures?.setCells(this.map.cells(this.map.homes(this.geometry.base, to)));
    this.changed();
    const step = () => {
      const t = still ? 1 : Math.min(1, (performance.now() - start) / time);
      const eased = 1 - (1 - t) ** 3;
      this.textures?.setPlacements(t >= 1 ? to : between(from, to, eased));
      if (t >= 1) this.changed();
      else this.drawn();
      if (t < 1) this.animation = requestAnimationFrame(step);
    };
    step();
  }

  get moving(): boolean {
    return this.animation !== 0;
  }

  setView(viewAs: ViewAs): void {
    this.viewAs = viewAs;
    this.restyle();
    this.changed();
  }

  setHouse(house: number, tolerance: number): void {
    this.house = house;
    this.tolerance = tolerance;
    this.restyle();
    this.changed();
  }

  hover(island: number): void {
    if (island === this.hovered) return;
    this.hovered = island;
    this.restyle();
    this.changed();
  }

  select(change: (selection: Selection) => void): void {
    change(this.selection);
    this.restyle();
    this.changed();
  }

  density(island: number): number | null {
    return this.info?.figures?.island_density[island] ?? null;
  }

  flags(island: number): number {
    return this.info?.figures?.island_flags[island] ?? 0;
  }

  objectOf(island: number) {
    return this.info?.objects.find((o) => island >= o.first_island && island < o.first_island + o.islands);
  }

  /** The sewing label of an island. */
  code(island: number): string {
    const object = this.objectOf(island);
    return object ? islandCode(object.name, island - object.first_island + 1) : "";
  }

  flagged(flag: number): number[] {
    return (this.info?.figures?.island_flags ?? []).flatMap((flags, island) => (flags & flag ? [island] : []));
  }

  /** Show the sheet and the side table. */
  frameTable(): void {
    const [w, h] = this.map.first;
    const sheets = this.tiles.map((tile) => this.map.sheet(tile.number)).reduce(union);
    this.camera.frame({ minX: w * SIDE_TABLE.left, minY: -0.055 * h, maxX: sheets.maxX, maxY: sheets.maxY }, 14, 22);
    this.framed = this.camera.width > 1 && this.info !== null;
    this.changed();
  }

  setProof(proof: Proof | null, stale: boolean): void {
    this.proof = proof;
    this.proofStale = stale;
    this.restyle();
    this.changed();
  }

  /** Look at a finding: its islands are picked, its spot comes into sight in both views. */
  showFinding(finding: Finding | null): void {
    this.finding = finding;
    if (!finding) return this.changed();
    const islands = finding.islands.filter((i) => i < (this.geometry?.base.count ?? 0));
    this.selection.set(islands);
    this.focusObject = islands.length ? "" : finding.object;
    this.restyle();
    this.frameModel++;
    const spots = finding.spots.map(([u, v]) => this.map.place(u, v, finding.tile));
    if (!spots.length || !this.model) return this.changed();
    const xs = spots.map(([x]) => x);
    const ys = spots.map(([, y]) => y);
    // Near enough to see the spot, and enough around it to know where that is.
    const box = this.model.boundsOf(islands);
    const extent = islands.length ? Math.max(box.maxX - box.minX, box.maxY - box.minY) : 0.1;
    const room = Math.min(Math.max(0.35 * extent, 0.012), 0.2);
    this.camera.frame({ minX: Math.min(...xs) - room, minY: Math.min(...ys) - room, maxX: Math.max(...xs) + room, maxY: Math.max(...ys) + room }, 10);
    this.changed();
  }

  /** All that is known of an island, for its colour and label. */
  seen(island: number, own: Seen["own"] = [0, 0, 0]): Seen {
    const flags = this.flags(island);
    const home = this.model?.homes[island] ?? 0;
    return {
      density: this.density(island),
      mirrored: (flags & FLAGS.mirrored) !== 0,
      overlapping: (flags & FLAGS.overlapping) !== 0,
      stacked: (this.info?.controls.stack[island] ?? -1) >= 0,
      material: this.proof?.island_material[island] ?? -1,
      tile: this.tiles.findIndex((tile) => tile.number === home),
      stretch: this.proof?.island_stretch[island] ?? null,
      own,
    };
  }

  /** The L2 stretch that is shown in full colour. */
  get mostStretch(): number {
    return 1.5;
  }

  /** Show what is selected in both views. */
  frameSelection(): void {
    const islands = this.selection.list();
    if (!this.model || !islands.length) return this.frameTable();
    const b: Bounds = this.model.boundsOf(islands);
    const room = Math.max(b.maxX - b.minX, b.maxY - b.minY, 0.05) * 0.6;
    this.camera.frame({ minX: b.minX - room, minY: b.minY - room, maxX: b.maxX + room, maxY: b.maxY + room }, 10);
    this.focusObject = "";
    this.frameModel++;
    this.changed();
  }

  /** Colours and marks of all islands for the present way of looking. */
  restyle(): void {
    if (!this.info || !this.textures) return;
    for (const object of this.info.objects) {
      const own = hexToRgb(object.colour);
      for (let island = object.first_island; island < object.first_island + object.islands; island++) {
        this.textures.setLook(island, viewColour(this.viewAs, this.seen(island, own), this.house, this.tolerance, this.mostStretch), this.marks(island));
      }
    }
    this.textures.lookDone();
    this.look++;
  }

  private marks(island: number): number {
    // Faults of the kept layout say nothing about one that a search is trying.
    const flags = this.previewed ? 0 : this.flags(island);
    const stripes = this.viewAs === "object" || this.viewAs === "plain" || this.viewAs === "facing";
    const plaid = this.viewAs === "object" || this.viewAs === "plain" || this.viewAs === "overlap";
    return (
      (this.selection.has(island) ? MARK.selected : 0) |
      (island === this.hovered ? MARK.hovered : 0) |
      (flags & FLAGS.outside ? MARK.outside : 0) |
      (stripes && flags & FLAGS.mirrored ? MARK.mirrored : 0) |
      (plaid && flags & FLAGS.overlapping ? MARK.overlapping : 0) |
      (flags & FLAGS.sideTable ? MARK.sideTable : 0)
    );
  }
}
