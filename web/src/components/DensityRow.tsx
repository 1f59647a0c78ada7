import { useEffect, useRef } from "react";
import type { Editor } from "../editor/Editor";
import { toX, type LogScale } from "../editor/density/logScale";

const H = 24;

/** The dots of one object list row: an island each, its area as size, on the shared scale. Click a dot to pick it. */
export function DensityRow({
  islands,
  editor,
  scale,
  version,
}: {
  islands: number[];
  editor: Editor;
  scale: LogScale;
  /** Of all that they are drawn by. */
  version: string;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const element = canvas.current!;
    const ratio = window.devicePixelRatio || 1;
    if (element.width !== Math.round(scale.width * ratio))
      element.width = Math.round(scale.width * ratio);
    if (element.height !== H * ratio) element.height = H * ratio;
    const ctx = element.getContext("2d")!;
    ctx.setTransform(ratio, 0, 0, ratio, 0, 0);
    ctx.clearRect(0, 0, scale.width, H);
    const style = getComputedStyle(element);
    const [ink, amber, petrol, panel] = ["ink", "amber", "petrol", "panel"].map((name) =>
      style.getPropertyValue(`--chakra-colors-${name}`).trim(),
    );
    for (const [x, y, r, island] of dots(islands, editor, scale)) {
      const side = editor.againstBand(island);
      ctx.beginPath();
      ctx.arc(x, y, r, 0, 2 * Math.PI);
      ctx.globalAlpha = 0.75;
      ctx.fillStyle = side === 0 ? ink : side > 0 ? amber : petrol;
      ctx.fill();
      ctx.globalAlpha = 1;
      const chosen = editor.selection.has(island);
      ctx.strokeStyle = chosen ? ink : panel;
      ctx.lineWidth = chosen ? 2 : 1;
      if (chosen) ctx.setLineDash([2.5, 2]);
      ctx.stroke();
      ctx.setLineDash([]);
    }
  }, [islands, editor, scale, version]);
  return (
    <canvas
      ref={canvas}
      style={{ width: "100%", height: H }}
      aria-hidden
      onClick={(event) => {
        const box = canvas.current!.getBoundingClientRect();
        const [mx, my] = [event.clientX - box.left, event.clientY - box.top];
        const hit = dots(islands, editor, scale)
          .reverse()
          .find(([x, y, r]) => Math.hypot(x - mx, y - my) <= r + 2);
        if (!hit) return;
        event.stopPropagation();
        editor.select((selection) =>
          event.shiftKey ? selection.toggle([hit[3]]) : selection.set([hit[3]]),
        );
      }}
    />
  );
}

function dots(
  islands: number[],
  editor: Editor,
  scale: LogScale,
): [number, number, number, number][] {
  const areas = editor.document.info?.world_area ?? [];
  const largest = Math.sqrt(Math.max(1e-12, ...(areas.length < 20000 ? areas : [1])));
  return islands.flatMap((island) => {
    const density = editor.document.density(island);
    if (density === null) return [];
    const r = 2.2 + 5.2 * Math.min(1, Math.sqrt(areas[island]) / largest);
    const sway = (((island * 7919) % 9) - 4) * 0.75;
    return [[toX(scale, density), H / 2 + sway, r, island] as [number, number, number, number]];
  });
}
