import { CanvasTexture, LinearMipmapLinearFilter, TextureLoader, type Texture } from "three";
import type { Laid } from "../../editor/maps/MapsManager";
import { tileCorner } from "../../editor/table/tiles";

/** A texture of a tile. */
export type TileTexture = { url: string; tile: number };

/** px of each tile where there are several. */
const SIDE = 1024;

/** One texture of all tiles' textures, and what part of their plane it covers: u, v, width, height. */
export async function tileTextures(tiles: TileTexture[]): Promise<Laid | null> {
  if (!tiles.length) return null;
  const corners = tiles.map((one) => tileCorner(one.tile));
  if (tiles.length === 1)
    return {
      texture: sharp(await new TextureLoader().loadAsync(tiles[0].url)),
      frame: [...corners[0], 1, 1],
    };
  const u = Math.min(...corners.map((c) => c[0])),
    v = Math.min(...corners.map((c) => c[1]));
  const wide = Math.max(...corners.map((c) => c[0])) - u + 1,
    high = Math.max(...corners.map((c) => c[1])) - v + 1;
  const side = Math.min(SIDE, Math.floor(8192 / Math.max(wide, high)));
  const canvas = document.createElement("canvas");
  canvas.width = wide * side;
  canvas.height = high * side;
  const pen = canvas.getContext("2d")!;
  await Promise.all(
    tiles.map(async (one, k) => {
      const image = new Image();
      image.src = one.url;
      await image.decode();
      pen.drawImage(
        image,
        (corners[k][0] - u) * side,
        (high - 1 - corners[k][1] + v) * side,
        side,
        side,
      );
    }),
  );
  return { texture: sharp(new CanvasTexture(canvas)), frame: [u, v, wide, high] };
}

function sharp<T extends Texture>(texture: T): T {
  texture.minFilter = LinearMipmapLinearFilter;
  texture.anisotropy = 8;
  return texture;
}
