import { Box } from "@chakra-ui/react";
import { useEffect, useRef } from "react";
import type { Finding } from "../api/client";
import { useEditor } from "../api/hooks";
import { TableCamera } from "../editor/camera/TableCamera";
import type { Editor } from "../editor/Editor";

const WIDTH = 84;
const HEIGHT = 64;
/** px of the texture that are in sight where a finding is about distances. */
const NEAR = 40;

/** The layout around the spot of a finding, the islands that it is about in colour. */
export function SpotCrop({ finding }: { finding: Finding }) {
  const editor = useEditor("document", "view");
  const canvas = useRef<HTMLCanvasElement>(null);
  const version = editor.document.signal.version + editor.view.signal.version;
  useEffect(() => {
    if (canvas.current) paint(canvas.current, editor, finding);
  }, [editor, finding, version]);
  if (!finding.spots.length && !finding.islands.length) return null;
  return (
    <Box
      as="canvas"
      ref={canvas}
      w={`${WIDTH}px`}
      h={`${HEIGHT}px`}
      flexShrink="0"
      rounded="sm"
      borderWidth="1px"
      borderColor="line"
      aria-hidden
      data-testid="spot"
    />
  );
}

function paint(element: HTMLCanvasElement, editor: Editor, finding: Finding): void {
  const { model, map, tile } = editor.document;
  const ratio = window.devicePixelRatio || 1;
  element.width = WIDTH * ratio;
  element.height = HEIGHT * ratio;
  const ctx = element.getContext("2d");
  if (!ctx || !model) return;
  ctx.scale(ratio, ratio);
  const islands = finding.islands.filter((island) => island < model.bounds.length);
  const spots = finding.spots.map(([u, v]) => map.place(u, v, finding.tile));
  const camera = new TableCamera();
  camera.resize(WIDTH, HEIGHT);
  const around = spots.length && finding.unit === "px" ? null : model.boundsOf(islands);
  if (around && around.minX <= around.maxX) {
    camera.x = (around.minX + around.maxX) / 2;
    camera.y = (around.minY + around.maxY) / 2;
    const across = Math.max(
      (around.maxX - around.minX) / WIDTH,
      (around.maxY - around.minY) / HEIGHT,
    );
    camera.scale = 0.8 / Math.max(across, 1e-9);
  } else if (spots.length) {
    camera.x = spots.reduce((sum, [x]) => sum + x, 0) / spots.length;
    camera.y = spots.reduce((sum, [, y]) => sum + y, 0) / spots.length;
    // The longer edge of a tile is 1 on the table.
    camera.scale = (WIDTH * Math.max(tile[1], tile[2])) / Math.max(NEAR, 3 * (finding.amount ?? 0));
  } else return;
  const style = getComputedStyle(element);
  const colour = (name: string) => style.getPropertyValue(`--chakra-colors-${name}`).trim();
  ctx.fillStyle = colour("paper");
  ctx.fillRect(0, 0, WIDTH, HEIGHT);
  ctx.strokeStyle = "#8B8268";
  ctx.lineWidth = 1;
  for (const { number } of map.tiles) {
    const sheet = map.sheet(number);
    const [left, top] = camera.toScreen(sheet.minX, sheet.maxY);
    const [right, bottom] = camera.toScreen(sheet.maxX, sheet.minY);
    ctx.strokeRect(left, top, right - left, bottom - top);
  }
  const [minX, maxY] = camera.toTable(0, 0);
  const [maxX, minY] = camera.toTable(WIDTH, HEIGHT);
  const about = new Set(islands);
  for (const island of model.index.meeting({ minX, minY, maxX, maxY }).slice(0, 200)) {
    ctx.beginPath();
    for (const ring of model.rings(island)) {
      for (let k = 0; k < ring.length; k += 2) {
        const at = camera.toScreen(...model.place(island, ring[k], ring[k + 1]));
        if (k) ctx.lineTo(...at);
        else ctx.moveTo(...at);
      }
      ctx.closePath();
    }
    ctx.globalAlpha = about.has(island) ? 0.75 : 0.25;
    ctx.fillStyle = editor.document.objectOf(island)?.colour ?? "#888888";
    ctx.fill("evenodd");
    ctx.globalAlpha = about.has(island) ? 1 : 0.5;
    ctx.strokeStyle = "#1F2A44";
    ctx.stroke();
  }
  ctx.globalAlpha = 1;
  ctx.strokeStyle = "#8C2F4B";
  ctx.lineWidth = 2;
  ctx.beginPath();
  const points = spots.map(([x, y]) => camera.toScreen(x, y));
  if (points.length === 2) {
    ctx.moveTo(...points[0]);
    ctx.lineTo(...points[1]);
  }
  for (const [x, y] of points.slice(0, 20)) {
    ctx.moveTo(x + 5, y);
    ctx.arc(x, y, 5, 0, 7);
  }
  ctx.stroke();
}
