import type { Editor } from "../Editor";
import { crookedBy } from "../geometry/upright";
import { nearestOf } from "../geometry/distance";
import { IDENTITY } from "../geometry/transform";
import { Outlines } from "../spatial/Outlines";

/** Islands whose main direction is off the axes by more than this count as crooked. */
const CROOKED = (0.5 * Math.PI) / 180;
/** Islands nearer than so many times the padding touch. */
const TOUCHING = 1.25;

/** All islands that are in sight and of which something holds. */
export function islandsWhere(editor: Editor, holds: (island: number) => boolean): number[] {
  return Array.from({ length: editor.document.count }, (_, i) => i).filter(
    (i) => !editor.document.hidden.has(i) && holds(i),
  );
}

/** Those whose main direction is off the axes. */
export function crooked(editor: Editor): number[] {
  const { model } = editor.document;
  return model
    ? islandsWhere(editor, (i) => Math.abs(crookedBy(model.edgesOf(i)) ?? 0) > CROOKED)
    : [];
}

/** Islands beside some islands, no farther than a little more than the padding. */
export function neighbours(editor: Editor, islands: readonly number[]): number[] {
  const { model, map, padding } = editor.document;
  if (!model) return [];
  const own = new Set(islands);
  const out = new Set<number>();
  for (const island of islands) {
    const reach = (TOUCHING * Math.max(padding, 1)) / map.pxPerUnit(model.homes[island]);
    const outline = new Outlines(model, [island]);
    for (const other of outline.near(IDENTITY, reach)) {
      if (own.has(other) || out.has(other) || editor.document.hidden.has(other)) continue;
      if (touch(model.edgesOf(island), model.edgesOf(other), reach)) out.add(other);
    }
  }
  return [...out];
}

/** Those of some islands that have none but these beside them. */
export function innerOnes(editor: Editor, islands: readonly number[]): number[] {
  const own = new Set(islands);
  const rest = islandsWhere(editor, (i) => !own.has(i));
  const rim = new Set(neighbours(editor, rest));
  return islands.filter((island) => !rim.has(island));
}

/** Texels that an island covers; of one that is not measured, those of its box. */
export function sizeOf(editor: Editor, island: number): number {
  const { model, map, info } = editor.document;
  const density = editor.document.density(island);
  if (density !== null) return density ** 2 * (info?.world_area[island] ?? 0);
  const b = model!.bounds[island];
  return (b.maxX - b.minX) * (b.maxY - b.minY) * map.pxPerUnit(model!.homes[island]) ** 2;
}

function touch(one: Float64Array, two: Float64Array, reach: number): boolean {
  for (let i = 0; i < one.length; i += 4)
    for (let j = 0; j < two.length; j += 4) {
      if (nearestOf(one, i, two, j, reach)) return true;
    }
  return false;
}
