import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, ask, send, type Atlas } from "./client";
import { editor, tellError } from "../state";
import { sendWhenBack } from "./connection";

export type Purpose = "behind" | "reach" | "worn";
type Change = { opacity?: number; repeats?: number; metres?: number | null };

/** Images over the tiles of an atlas: behind them, or painted distances of rays. */
export function useTileImages(atlas: Pick<Atlas, "id">, purpose: Purpose = "behind") {
  const client = useQueryClient();
  const path = { atlas_id: atlas.id };
  const key = ["tile-images", atlas.id, purpose];
  const query = { purpose };
  const options = {
    onError: tellError,
    onSettled: () => client.invalidateQueries({ queryKey: key }),
  };
  return {
    list:
      useQuery({
        enabled: atlas.id > 0,
        queryKey: key,
        queryFn: () =>
          ask(api.GET("/api/atlases/{atlas_id}/tile-images/", { params: { path, query } })),
      }).data ?? [],
    lay: useMutation({
      mutationFn: ({ tile, file }: { tile: number; file: File }) =>
        layImage(atlas.id, tile, file, purpose),
      ...options,
    }),
    change: useMutation({
      mutationFn: ({ tile, ...body }: { tile: number } & Change) =>
        ask(
          api.PATCH("/api/atlases/{atlas_id}/tile-images/{tile}/", {
            params: { path: { ...path, tile }, query },
            body,
          }),
        ),
      ...options,
    }),
    take: useMutation({
      mutationFn: async (tile: number) => {
        await api.DELETE("/api/atlases/{atlas_id}/tile-images/{tile}/", {
          params: { path: { ...path, tile }, query },
        });
      },
      ...options,
    }),
  };
}

/** Address of an image over a tile; another image has another one. */
export const imageAt = (
  atlas: number,
  { tile, digest }: { tile: number; digest: string },
  purpose: Purpose = "behind",
) => `/api/atlases/${atlas}/tile-images/${tile}/?purpose=${purpose}&digest=${digest.slice(0, 16)}`;

/** An image of one's own for all islands of an atlas to wear: it is kept with its first tile. */
export const wearImage = (atlas: number, file: File) =>
  layImage(atlas, editor.document.tiles[0].number, file, "worn");

export const layBehind = (atlas: number, tile: number, file: File) =>
  layImage(atlas, tile, file, "behind");

function layImage(atlas: number, tile: number, file: File, purpose: Purpose): Promise<void> {
  const form = new FormData();
  form.append("file", file, file.name);
  const address = `/api/atlases/${atlas}/tile-images/${tile}/?purpose=${purpose}`;
  // The same image laid twice is the same.
  return sendWhenBack(() => send(address, form));
}

/** The tile under a place of the window; the first one where there is none. */
export function tileAt(x: number, y: number): number {
  const box = document.querySelector("[data-testid='table']")?.getBoundingClientRect();
  const { tiles, map } = editor.document;
  if (!box) return tiles[0].number;
  const [u, v] = editor.camera.toTable(x - box.left, y - box.top);
  const found = tiles.find((tile) => {
    const sheet = map.sheet(tile.number);
    return u >= sheet.minX && u <= sheet.maxX && v >= sheet.minY && v <= sheet.maxY;
  });
  return (found ?? tiles[0]).number;
}
