import { bandOf, type Band, type House } from "../density/logScale";
import {
  TextureLoader,
  type Texture,
  RepeatWrapping,
  LinearMipmapLinearFilter,
  SRGBColorSpace,
} from "three";
import type { LayoutModel } from "../layout/LayoutModel";
import type { Standing } from "../surface/spread";
import { Signal, type Heard } from "../signal";
import type { ViewAs } from "../style/views";

/** Sides of the model, by the way from its middle to the eye. */
export const SIDES: Record<string, [number, number, number]> = {
  Front: [0, 0, 1],
  Back: [0, 0, -1],
  Left: [-1, 0, 0],
  Right: [1, 0, 0],
  Above: [0, 1, 0.0001],
  Below: [0, -1, 0.0001],
  Corner: [0.5, 0.38, 0.8],
};

/** An image that islands wear: over a tile so many times, or so long at the house density. */
export type Worn = { texture: Texture; name: string; repeats: number; metres: number | null };

/** What covers the islands, and how often it repeats: over a tile, or in a px of it. */
export type Covering = { texture: Texture; repeat: [number, number]; perPx: boolean };

/**
 * How the layout is looked at: by what it is coloured, the house band on its way, previews and
 * ghosts, what the pointer is over.
 */
export class ViewManager {
  /** An image of one's own that islands wear. */
  worn: Worn | null = null;
  private readonly raised = new Signal();
  readonly signal: Heard = this.raised;
  private readonly pointed = new Signal();
  /** What the pointer is over; many things change with it, so it has a signal of its own. */
  readonly pointer: Heard = this.pointed;
  as: ViewAs = "object";
  houseBand: House = { density: 512, tolerance: 0.05, least: null, most: null };
  /** Size of a checker square that was chosen, in texels or in the world. */
  square: { px?: number; metres?: number } | null = null;
  hovered = -1;
  /** A layout that a search has found so far. */
  previewed: Float32Array | null = null;
  /** Another layout that is laid over this one. */
  ghost: LayoutModel | null = null;
  /** Asks the model view to look at what is selected, or at an object as a whole. */
  frameModel = 0;
  focusObject = "";
  /** The side that the model is looked at from next; none is the way it is seen now. */
  side = "";
  /** Unit vector from the model to whoever looks at it. */
  towards: [number, number, number] = [0, 0, 1];
  /** The model can be seen through. */
  xray = false;
  /** How the model stands; null is what suits its files. */
  standing: Standing | null = null;
  /** The side table takes no room when the whole table is shown. */
  sideFolded = false;
  /** Where the eye is, in the model's space. */
  eye: [number, number, number] = [0, 0, 1];
  readonly checker: Texture;

  constructor(loaded: () => void) {
    this.checker = new TextureLoader().load("/api/checker.png", loaded);
    this.checker.wrapS = this.checker.wrapT = RepeatWrapping;
    this.checker.minFilter = LinearMipmapLinearFilter;
    this.checker.anisotropy = 8;
    this.checker.colorSpace = SRGBColorSpace;
  }

  /** The checker, with eight squares an image, each of `checkerSquare` px in every tile; or an image of one's own. */
  get covering(): Covering | null {
    if (this.as === "checker") {
      const repeat = 1 / (8 * this.checkerSquare);
      return { texture: this.checker, repeat: [repeat, repeat], perPx: true };
    }
    if (this.as !== "own image" || !this.worn) return null;
    const { texture, repeats, metres } = this.worn;
    if (metres === null) return { texture, repeat: [repeats, repeats], perPx: false };
    const { width, height } = texture.image as { width: number; height: number };
    const across = 1 / Math.max(metres * this.house, 1e-6);
    return { texture, repeat: [across, (across * width) / height], perPx: true };
  }

  /** How often what is worn repeats over a tile of some px, across and up; once where nothing is. */
  repeatsOver(width: number, height: number): [number, number] {
    const { covering } = this;
    if (!covering || covering.texture === this.checker) return [1, 1];
    const [u, v] = covering.repeat;
    return covering.perPx ? [u * width, v * height] : [u, v];
  }

  /** Wear an image, or none. */
  setWorn(worn: Worn | null): void {
    if (this.worn && this.worn.texture !== worn?.texture) this.worn.texture.dispose();
    this.worn = worn;
    this.raised.raise();
  }

  /** px of a square: as chosen, or as long as a length in metres has at the house density. */
  get checkerSquare(): number {
    const { square } = this;
    if (square?.px) return square.px;
    if (square?.metres) return Math.max(1, square.metres * this.house);
    return 2 ** Math.max(2, Math.min(7, Math.round(Math.log2(this.house / 8))));
  }

  /** Squares of another size; none for one that suits the house density. */
  setSquare(square: ViewManager["square"]): void {
    this.square = square;
    this.raised.raise();
  }

  /** Colour by something else. */
  setAs(as: ViewAs): void {
    this.as = as;
    this.raised.raise();
  }

  /** House density in px/m. */
  get house(): number {
    return this.houseBand.density;
  }

  get band(): Band {
    return bandOf(this.houseBand);
  }

  /** Another house band; returns whether it is one. */
  setHouse(change: Partial<House>): boolean {
    const next = { ...this.houseBand, ...change };
    if (JSON.stringify(next) === JSON.stringify(this.houseBand)) return false;
    this.houseBand = next;
    this.raised.raise();
    return true;
  }

  /** The pointer is over another island; returns the one that it left. */
  setHovered(island: number): number {
    const left = this.hovered;
    this.hovered = island;
    this.pointed.raise();
    return left;
  }

  /** Show what a search has found so far, or nothing of it. Each layout that follows the first glides only. */
  setPreviewed(placements: Float32Array | null): void {
    const news = (this.previewed === null) !== (placements === null);
    this.previewed = placements;
    if (news) this.raised.raise();
  }

  setGhost(ghost: LayoutModel | null): void {
    if (this.ghost === ghost) return;
    this.ghost = ghost;
    this.raised.raise();
  }

  setSideFolded(folded: boolean): void {
    this.sideFolded = folded;
    this.raised.raise();
  }

  /** Other ways of showing the model. */
  showModel(how: { xray?: boolean; standing?: Standing }): void {
    Object.assign(this, how);
    this.raised.raise();
  }

  clear(): void {
    this.previewed = this.ghost = null;
    this.focusObject = "";
    this.standing = null;
    this.hovered = -1;
    this.raised.raise();
  }
}
