import { Box } from "@chakra-ui/react";
import { useCallback, useEffect, useReducer, useRef } from "react";
import type { Atlas } from "../api/client";
import { imageAt, useTileImages } from "../api/tileImages";
import { fillIslands, greyOf, paintedSize, usePaint } from "../paint";
import { editor, useUi } from "../state";

/** How far rays of the test bake reach, painted on the sheets: darker is less. */
export function PaintDistances({ atlas }: { atlas: Atlas }) {
  const { list, lay } = useTileImages(atlas, "reach");
  const on = usePaint((paint) => paint.on);
  const [, redraw] = useReducer((n: number) => n + 1, 0);
  useEffect(() => (on ? editor.signal("frames").subscribe(redraw) : undefined), [on]);
  useEffect(() => () => usePaint.getState().set({ on: false }), []);
  if (!on) return null;
  return (
    <>
      {editor.document.tiles.map((tile) => (
        <Sheet
          key={`${atlas.id} ${tile.number}`}
          tile={tile.number}
          width={tile.width}
          height={tile.height}
          url={urlOf(
            atlas,
            list.find((one) => one.tile === tile.number),
          )}
          keep={(file) => lay.mutate({ tile: tile.number, file })}
        />
      ))}
    </>
  );
}

const urlOf = (atlas: Atlas, row?: { tile: number; digest: string }) =>
  row ? imageAt(atlas.id, row, "reach") : "";

type SheetProps = {
  tile: number;
  width: number;
  height: number;
  url: string;
  keep: (file: File) => void;
};

function Sheet({ tile, width, height, url, keep }: SheetProps) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const last = useRef<[number, number] | null>(null);
  const [wide, high] = paintedSize(width, height);
  const fills = usePaint((paint) => paint.fills);
  const done = useRef(fills);
  const pen = () => canvas.current!.getContext("2d")!;
  // What was kept last is on the canvas already.
  const own = useRef(false);
  useEffect(() => {
    if (own.current) {
      own.current = false;
      return;
    }
    const context = pen();
    if (!url) {
      context.fillStyle = "#fff";
      context.fillRect(0, 0, wide, high);
      return;
    }
    const image = new Image();
    let gone = false;
    image.onload = () => {
      if (!gone) context.drawImage(image, 0, 0, wide, high);
    };
    image.src = url;
    return () => {
      gone = true;
    };
  }, [url, wide, high]);
  const save = useCallback(
    () =>
      canvas.current?.toBlob((blob) => {
        if (blob) {
          own.current = true;
          keep(new File([blob], `distances-${tile}.png`, { type: "image/png" }));
        }
      }),
    [keep, tile],
  );
  useEffect(() => {
    if (fills === done.current) return;
    done.current = fills;
    const { geometry, model } = editor.document;
    const picked = new Set(editor.selection.list());
    if (!picked.size) {
      if (tile === editor.document.tiles[0].number)
        useUi.getState().tell({
          kind: "error",
          what: "Nothing is selected to be filled.",
          fix: "Select islands on the table, the model or in the object list.",
        });
      return;
    }
    if (geometry && model) {
      fillIslands(pen(), geometry.base, model, picked, tile, usePaint.getState().value);
      save();
    }
  }, [fills, tile, save]);
  const sheet = editor.document.map.sheet(tile);
  const [left, bottom] = editor.camera.toScreen(sheet.minX, sheet.minY);
  const [right, top] = editor.camera.toScreen(sheet.maxX, sheet.maxY);
  const stroke = (event: React.PointerEvent) => {
    const box = event.currentTarget.getBoundingClientRect();
    const by = wide / box.width;
    const at: [number, number] = [(event.clientX - box.left) * by, (event.clientY - box.top) * by];
    const context = pen();
    const { value, width } = usePaint.getState();
    context.strokeStyle = greyOf(value);
    context.lineWidth = Math.max(1, width * by);
    context.lineCap = context.lineJoin = "round";
    context.beginPath();
    context.moveTo(...(last.current ?? at));
    context.lineTo(at[0] + 0.01, at[1]);
    context.stroke();
    last.current = at;
  };
  return (
    <Box
      data-over-table
      position="absolute"
      style={{ left, top, width: right - left, height: bottom - top }}
      data-testid="paint-distances"
    >
      <canvas
        ref={canvas}
        width={wide}
        height={high}
        aria-label={`Painted distances of tile ${tile}: darker is less`}
        style={{
          position: "absolute",
          inset: 0,
          width: "100%",
          height: "100%",
          mixBlendMode: "multiply",
          opacity: 0.75,
          cursor: "crosshair",
          touchAction: "none",
        }}
        onPointerDown={(e) => {
          if (e.button !== 0) return;
          e.stopPropagation();
          e.currentTarget.setPointerCapture(e.pointerId);
          last.current = null;
          stroke(e);
        }}
        onPointerMove={(e) => {
          if (last.current) stroke(e);
        }}
        onPointerUp={() => {
          if (last.current) {
            last.current = null;
            save();
          }
        }}
        onPointerCancel={() => {
          last.current = null;
        }}
      />
    </Box>
  );
}
