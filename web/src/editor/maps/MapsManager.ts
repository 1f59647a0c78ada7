import type { BufferGeometry, DataArrayTexture, Texture } from "three";
import { Signal, type Heard } from "../signal";

/** What part of the tiles' plane a texture covers: u, v, width and height. */
export type Frame = [number, number, number, number];

export type Laid = { texture: Texture; frame: Frame };

/** How maps are looked at on the model. */
export type MapsView = {
  /** Where the light of the test bake comes from: degrees around, from the front. */
  light: number;
  /** Mip level that textures on the model are read at; 0 for the one that fits. */
  mip: number;
  /** Left of this part of the view the model is shown without its maps, or the high poly mesh in its place. */
  withoutTo: number;
  /** Whether the high poly mesh is shown there. */
  besideHighPoly: boolean;
  /** Left of this part of the view the model is painted as in its files. */
  paintedTo: number;
};

const NOTHING: Frame = [0, 0, 1, 1];

/**
 * Maps that the model wears in place of the colours of the view: merged textures, those of a test
 * bake, those of its files.
 */
export class MapsManager {
  private readonly raised = new Signal();
  readonly signal: Heard = this.raised;
  private laid: Laid | null = null;
  private lit: Laid | null = null;
  /** Whether the normals are in the objects' own space. */
  normalsOwn = false;
  /** Textures of the files that the model is painted with. */
  painted: DataArrayTexture | null = null;
  highPoly: BufferGeometry | null = null;
  view: MapsView = { light: 40, mip: 0, withoutTo: 0, besideHighPoly: true, paintedTo: 0 };

  /** A texture that lies on the model by the layout of the tiles. */
  get texture(): Texture | null {
    return this.laid?.texture ?? null;
  }

  get textureFrame(): Frame {
    return this.laid?.frame ?? NOTHING;
  }

  /** Normals of a test bake that light the model. */
  get normals(): Texture | null {
    return this.lit?.texture ?? null;
  }

  get normalsFrame(): Frame {
    return this.lit?.frame ?? NOTHING;
  }

  lay(laid: Laid | null): void {
    this.laid?.texture.dispose();
    this.laid = laid;
    this.raised.raise();
  }

  light(lit: Laid | null, own: boolean): void {
    this.lit?.texture.dispose();
    this.lit = lit;
    this.normalsOwn = own;
    this.raised.raise();
  }

  wear(painted: DataArrayTexture | null): void {
    this.painted?.dispose();
    this.painted = painted;
    this.raised.raise();
  }

  compareWith(highPoly: BufferGeometry | null): void {
    this.highPoly?.dispose();
    this.highPoly = highPoly;
    this.raised.raise();
  }

  look(how: Partial<MapsView>): void {
    const share = (value: number) => Math.min(1, Math.max(0, value));
    this.view = { ...this.view, ...how };
    this.view.withoutTo = share(this.view.withoutTo);
    this.view.paintedTo = share(this.view.paintedTo);
    this.raised.raise();
  }
}
