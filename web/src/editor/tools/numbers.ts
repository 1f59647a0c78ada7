import type { Bounds } from "../affine/affine";
import type { Editor } from "../Editor";
import { moving, sizing, turning, type Transform } from "../geometry/transform";
import { boundsAfter } from "../spatial/Outlines";
import { densityOf, type Verb } from "./Gesture";
import { middle } from "./take/frame";

export type Field = "x" | "y" | "wide" | "high" | "turn" | "size" | "density";

/**
 * What is selected in numbers: px of its sheet from its lower left corner, degrees to the left, per
 * cent, px per metre.
 */
export type Numbers = Record<Field, number> & { tile: number; box: Bounds; px: number };

/**
 * A typed number: as it stands, or worked out from the present one with a sign in front (+8, *0.5,
 * /2); null when it is none.
 */
export function typed(text: string, now: number): number | null {
  const found = /^\s*([+*/x×÷]?)\s*(-?\d*[.,]?\d+)\s*(?:px|%|°|px\/m)?\s*$/.exec(text);
  if (!found) return null;
  const value = Number(found[2].replace(",", "."));
  const result =
    found[1] === ""
      ? value
      : found[1] === "+"
        ? now + value
        : found[1] === "/" || found[1] === "÷"
          ? now / value
          : now * value;
  return Number.isFinite(result) ? result : null;
}

/** Numbers of what is selected, as it lies now, also while it is being moved; null when nothing is. */
export function numbersOf(editor: Editor): Numbers | null {
  const { document, gesture, selection, view } = editor;
  const { model, map } = document;
  const islands = gesture.outlines?.islands ?? selection.list();
  if (!model || !islands.length || view.previewed) return null;
  const still = gesture.outlines?.bounds ?? model.boundsOf(islands);
  if (!(still.minX <= still.maxX)) return null;
  const by = gesture.by;
  const box = boundsAfter(still, by);
  const [cx, cy] = middle(box);
  const tile = map.tileAt(cx, cy);
  const px = map.pxPerUnit(tile);
  const sheet = tile ? map.sheet(tile) : { minX: 0, minY: 0 };
  const grown = Math.sqrt(Math.abs(by[0] * by[4] - by[1] * by[3]));
  const turned = degrees(Math.atan2(by[3], by[0]));
  const own =
    islands.length === 1
      ? degrees(Math.atan2(model.placements[6 * islands[0] + 3], model.placements[6 * islands[0]]))
      : 0;
  return {
    x: (box.minX - sheet.minX) * px,
    y: (box.minY - sheet.minY) * px,
    wide: (box.maxX - box.minX) * px,
    high: (box.maxY - box.minY) * px,
    turn: (((own + turned) % 360) + 360) % 360,
    size: 100 * grown,
    density: grown * (gesture.outlines ? gesture.density : densityOf(document, islands)),
    tile,
    box,
    px,
  };
}

const degrees = (radians: number): number => (180 * radians) / Math.PI;

/** What makes a number of what is selected another one; null when nothing changes or it cannot be. */
export function makes(
  field: Field,
  value: number,
  now: Numbers,
): { verb: Verb; by: Transform } | null {
  const { box, px } = now;
  const factor = {
    wide: value / now.wide,
    high: value / now.high,
    size: value / now.size,
    density: value / now.density,
  }[field as "wide"];
  if (field === "x") return { verb: "move", by: moving((value - now.x) / px, 0) };
  if (field === "y") return { verb: "move", by: moving(0, (value - now.y) / px) };
  if (field === "turn")
    return { verb: "turn", by: turning(((value - now.turn) * Math.PI) / 180, middle(box)) };
  if (!(factor > 0) || !Number.isFinite(factor)) return null;
  return {
    verb: "size",
    by: sizing(
      factor,
      factor,
      field === "wide" || field === "high" ? [box.minX, box.minY] : middle(box),
    ),
  };
}
