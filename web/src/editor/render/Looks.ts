import { MEASURED } from "../flags.generated";
import type { FiguresManager } from "../figures/FiguresManager";
import type { LayoutDocument } from "../document/LayoutDocument";
import type { Selection } from "../selection/Selection";
import { Signal, type Heard } from "../signal";
import { hexToRgb, type Rgb } from "../style/islandStyle";
import { IslandTextures, MARK } from "../style/islandTextures";
import { viewColour, type Seen } from "../style/views";
import type { ViewManager } from "../view/ViewManager";

/** The L2 stretch that is shown in full colour. */
const MOST_STRETCH = 1.5;

/** Colours and marks of all islands, as both views draw them; and the signals for what has to be drawn anew. */
export class Looks {
  textures: IslandTextures | null = null;
  /** Islands that follow a gesture, and those that would share texels after it. */
  private moving = new Set<number>();
  private laidOn = new Set<number>();
  /** Colours or marks are others: both views are drawn. */
  private readonly raised = new Signal();
  readonly signal: Heard = this.raised;
  /** Every frame: islands glide, the camera moves. */
  private readonly framed = new Signal();
  readonly frames: Heard = this.framed;

  constructor(
    private layout: LayoutDocument,
    private figures: FiguresManager,
    private view: ViewManager,
    private selection: Selection,
  ) {}

  /** Textures for another set of islands. */
  begin(count: number): void {
    this.textures?.dispose();
    this.textures = new IslandTextures(count);
  }

  clear(): void {
    this.textures?.dispose();
    this.textures = null;
    this.changed();
  }

  /** All that is known of an island, for its colour and label. */
  seen(island: number, own: Rgb = [0, 0, 0]): Seen {
    const { layout, figures } = this;
    const flags = layout.flags(island);
    const home = layout.model?.homes[island] ?? 0;
    return {
      density: layout.density(island),
      weighted: layout.weighted(island),
      mirrored: (flags & MEASURED.mirrored) !== 0,
      overlapping: (flags & MEASURED.overlapping) !== 0,
      stacked: layout.control(island).stack >= 0,
      material: figures.report?.island_material[island] ?? -1,
      tile: layout.tiles.findIndex((tile) => tile.number === home),
      stretch: figures.report?.island_stretch[island] ?? null,
      seen: figures.visibleShare?.[island] ?? null,
      own,
    };
  }

  /** Colours and marks of all islands for the present way of looking. */
  restyle(): void {
    const { info } = this.layout;
    if (!info || !this.textures) return;
    for (const object of info.objects) {
      const own = hexToRgb(object.colour);
      for (
        let island = object.first_island;
        island < object.first_island + object.islands;
        island++
      )
        this.style(island, own);
    }
    this.textures.lookDone();
    this.changed();
  }

  /** Colours and marks of some islands; the others look as before. */
  touch(islands: Iterable<number>): void {
    if (!this.layout.info || !this.textures) return;
    for (const island of islands) {
      const object = this.layout.objectOf(island);
      if (object) this.style(island, hexToRgb(object.colour));
    }
    this.textures.lookDone();
    this.changed();
  }

  /** Islands that follow the gesture that has begun. */
  setMoving(islands: number[]): void {
    const before = this.moving;
    this.moving = new Set(islands);
    this.touch([...before, ...islands]);
  }

  /** Islands that lie on one another while a gesture lasts; `touched` may look different than before. */
  setLaidOn(still: readonly number[], moving: readonly number[], touched: Iterable<number>): void {
    this.laidOn = new Set([...still, ...moving]);
    this.touch(new Set([...touched, ...moving, ...still]));
  }

  /** Only the frames are others, no colours and marks. */
  drawn(): void {
    this.framed.raise();
  }

  /** The model is shown from elsewhere, or otherwise. */
  turned(): void {
    this.raised.raise();
  }

  private changed(): void {
    this.raised.raise();
    this.framed.raise();
  }

  private style(island: number, own: Rgb): void {
    const { as, house, band } = this.view;
    this.textures!.setLook(
      island,
      viewColour(as, this.seen(island, own), house, band, MOST_STRETCH),
      this.marks(island),
    );
  }

  private marks(island: number): number {
    // Faults of the kept layout say nothing about one that a search is trying.
    const flags = this.view.previewed ? 0 : this.layout.flags(island);
    const { as } = this.view;
    const stripes = as === "object" || as === "plain" || as === "facing";
    const plaid = as === "object" || as === "plain" || as === "overlap";
    return (
      (this.selection.has(island) ? MARK.selected : 0) |
      (island === this.view.hovered ? MARK.hovered : 0) |
      (flags & MEASURED.outside ? MARK.outside : 0) |
      (stripes && flags & MEASURED.mirrored ? MARK.mirrored : 0) |
      ((plaid && flags & MEASURED.overlapping && !this.moving.has(island)) ||
      this.laidOn.has(island)
        ? MARK.overlapping
        : 0) |
      (this.moving.has(island) ? MARK.moving : 0) |
      (flags & MEASURED.side_table ? MARK.sideTable : 0) |
      (this.layout.hidden.has(island) ? MARK.hidden : 0)
    );
  }
}
