import type { BufferGeometry } from "three";
import type { Laid } from "../../editor/maps/MapsManager";
import { editor } from "../../state";
import { fetchBytes } from "../client";
import { readHighPoly } from "./highPoly";
import { paintedLayers, readPainted, wearPaint } from "./painted";
import { tileTextures, type TileTexture } from "./tileTextures";

/** Loads what is wanted last: what was wanted before and comes later is let go. */
function latest<T>(free: (found: T) => void) {
  let wanted = "";
  return (key: string, load: () => Promise<T | null>, show: (found: T | null) => void): void => {
    if (key === wanted) return;
    wanted = key;
    void load()
      .catch(() => null)
      .then((found) => {
        if (key === wanted) show(found);
        else if (found) free(found);
      });
  };
}

const freeLaid = (laid: Laid) => laid.texture.dispose();
const texture = latest<Laid>(freeLaid);
const normals = latest<Laid>(freeLaid);
const highPoly = latest<BufferGeometry>((mesh) => mesh.dispose());
const painted = latest<NonNullable<Awaited<ReturnType<typeof paintedLayers>>>>((one) =>
  one.dispose(),
);

/** Lay textures of tiles on the model once they are there; none for the colours of the view. */
export const layTextures = (tiles: TileTexture[]): void =>
  texture(
    JSON.stringify(tiles),
    () => tileTextures(tiles),
    (laid) => editor.maps.lay(laid),
  );

/** Light the model by the normals of a test bake once they are there, or by its faces. */
export const layNormals = (tiles: TileTexture[], own: boolean): void =>
  normals(
    JSON.stringify([tiles, own]),
    () => tileTextures(tiles),
    (laid) => editor.maps.light(laid, own),
  );

/** Have the high poly mesh of a test bake beside the low poly one, or none. */
export const layHighPoly = (address: string): void =>
  highPoly(
    address,
    async () => (address ? readHighPoly(await fetchBytes(address)) : null),
    (mesh) => editor.maps.compareWith(mesh),
  );

/** Read how the model is painted in its files, or forget it. */
export const wearPainted = (address: string): void =>
  painted(
    address,
    async () => {
      if (!address) return null;
      const read = readPainted(await fetchBytes(address));
      for (const { geometry, object } of editor.document.geometry?.instances ?? [])
        wearPaint(geometry, read.objects.get(object));
      return paintedLayers(read);
    },
    (one) => editor.maps.wear(one),
  );
