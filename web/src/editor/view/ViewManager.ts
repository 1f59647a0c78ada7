import {
  TextureLoader,
  type BufferGeometry,
  type DataArrayTexture,
  type Texture,
  RepeatWrapping,
  LinearMipmapLinearFilter,
  SRGBColorSpace,
} from "three";
import type { LayoutModel } from "../layout/LayoutModel";
import { Signal } from "../signal";
import { readFine } from "./fineMesh";
import { laidPicture, type LaidTile } from "./laidPicture";
import { paintedLayers, readPainted, wearPaint } from "./painted";
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

/** How the layout is looked at: by what it is coloured, the house band on its way, previews and ghosts, what the pointer is over. */
export class ViewManager {
  readonly signal = new Signal();
  /** What the pointer is over; many things change with it, so it has a signal of its own. */
  readonly pointer = new Signal();
  as: ViewAs = "object";
  house = 512;
  tolerance = 0.05;
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
  /** The model can be seen through, and its objects stand apart. */
  xray = false;
  spread = false;
  /** The side table takes no room when the whole table is shown. */
  sideFolded = false;
  /** A merged picture that lies on the model, by the layout of the sheet. */
  picture: Texture | null = null;
  /** What part of the tiles' plane it covers: u, v, width and height. */
  pictureFrame: [number, number, number, number] = [0, 0, 1, 1];
  /** The pictures of the files that the model is painted with, and where the wipe between both stands: 0 to 1 of the view. */
  painted: DataArrayTexture | null = null;
  paintedWipe = 0;
  /** Normals of a test bake that light the model, what part of the tiles' plane they cover, and whether they are in the objects' own space. */
  normals: Texture | null = null;
  normalsFrame: [number, number, number, number] = [0, 0, 1, 1];
  normalsOwn = false;
  /** Where the light of the test bake comes from: degrees around, from the front. */
  light = 40;
  /** Mip level that pictures on the model are read at; 0 for the one that fits. */
  mip = 0;
  /** Left of this part of the view the model is shown without its maps, or the high poly mesh in its place. */
  bareTo = 0;
  /** The high poly mesh of a test bake, and whether it is shown there. */
  fine: BufferGeometry | null = null;
  besideFine = true;
  private fineFor = "";
  /** Where the eye is, in the model's space. */
  eye: [number, number, number] = [0, 0, 1];
  private wantedNormals = "[]";
  private wanted = "[]";
  private paintedFor = "";
  readonly checker: Texture;

  constructor(loaded: () => void) {
    this.checker = new TextureLoader().load("/api/checker.png", loaded);
    this.checker.wrapS = this.checker.wrapT = RepeatWrapping;
    this.checker.minFilter = LinearMipmapLinearFilter;
    this.checker.anisotropy = 8;
    this.checker.colorSpace = SRGBColorSpace;
  }

  /** Lay pictures of tiles on the model once they are there; none for the colours of the view. */
  layPicture(tiles: LaidTile[], laid: () => void): void {
    const key = JSON.stringify(tiles);
    if (key === this.wanted) return;
    this.wanted = key;
    void laidPicture(tiles)
      .catch(() => null)
      .then((found) => {
        if (key !== this.wanted) return found?.texture.dispose();
        this.picture?.dispose();
        this.picture = found?.texture ?? null;
        this.pictureFrame = found?.frame ?? [0, 0, 1, 1];
        laid();
      });
  }

  /** Light the model by normals of tiles once they are there, or by its faces. */
  layNormals(tiles: LaidTile[], own: boolean, laid: () => void): void {
    const key = JSON.stringify([tiles, own]);
    if (key === this.wantedNormals) return;
    this.wantedNormals = key;
    void laidPicture(tiles)
      .catch(() => null)
      .then((found) => {
        if (key !== this.wantedNormals) return found?.texture.dispose();
        this.normals?.dispose();
        this.normals = found?.texture ?? null;
        this.normalsFrame = found?.frame ?? [0, 0, 1, 1];
        this.normalsOwn = own;
        laid();
      });
  }

  /** Fetch the high poly mesh of a test bake, or forget it. */
  async layFine(address: string, laid: () => void): Promise<void> {
    if (address === this.fineFor) return;
    this.fineFor = address;
    this.fine?.dispose();
    this.fine = null;
    const answer = address ? await fetch(address).catch(() => null) : null;
    if (address !== this.fineFor) return;
    this.fine = answer?.ok ? readFine(await answer.arrayBuffer()) : null;
    laid();
  }

  /** Read how the objects are painted in their own files, once. */
  async wearPainted(
    address: string,
    meshes: { geometry: BufferGeometry; object: number }[],
    worn: () => void,
  ): Promise<void> {
    if (address === this.paintedFor) return;
    this.paintedFor = address;
    this.painted?.dispose();
    this.painted = null;
    if (!address) return;
    const answer = await fetch(address).catch(() => null);
    if (!answer?.ok || address !== this.paintedFor) return;
    const painted = readPainted(await answer.arrayBuffer());
    const texture = await paintedLayers(painted);
    if (address !== this.paintedFor) return texture?.dispose();
    for (const { geometry, object } of meshes) wearPaint(geometry, painted.objects.get(object));
    this.painted = texture;
    worn();
  }

  /** Checker repeats per px: eight squares a picture, each of `checkerSquare` px in every tile. */
  get checkerRepeat(): number {
    return 1 / (8 * this.checkerSquare);
  }

  get checkerSquare(): number {
    return 2 ** Math.max(2, Math.min(7, Math.round(Math.log2(this.house / 8))));
  }

  clear(): void {
    this.previewed = this.ghost = null;
    this.focusObject = "";
    this.hovered = -1;
    this.signal.raise();
  }
}
