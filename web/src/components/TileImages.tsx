import { Image } from "@chakra-ui/react";
import { useEffect, useReducer } from "react";
import type { Atlas } from "../api/client";
import { imageAt, useTileImages } from "../api/tileImages";
import { editor } from "../state";

/** Images behind the layout: they shine through paper and islands. */
export function TileImages({ atlas }: { atlas: Atlas }) {
  const { list } = useTileImages(atlas);
  const [, redraw] = useReducer((n: number) => n + 1, 0);
  useEffect(
    () => (list.length ? editor.signal("frames").subscribe(redraw) : undefined),
    [list.length],
  );
  return (
    <>
      {list
        .filter((one) => editor.document.tiles.some((tile) => tile.number === one.tile))
        .map((one) => {
          const sheet = editor.document.map.sheet(one.tile);
          const [left, bottom] = editor.camera.toScreen(sheet.minX, sheet.minY);
          const [right, top] = editor.camera.toScreen(sheet.maxX, sheet.maxY);
          return (
            <Image
              key={one.tile}
              src={imageAt(atlas.id, one)}
              alt={`${one.name}, behind tile ${one.tile}`}
              position="absolute"
              pointerEvents="none"
              draggable={false}
              maxW="none"
              mixBlendMode="multiply"
              data-testid="tile-image"
              style={{ left, top, width: right - left, height: bottom - top, opacity: one.opacity }}
            />
          );
        })}
    </>
  );
}
