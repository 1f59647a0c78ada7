import type { Editor } from "../Editor";
import { crookedBy } from "../geometry/upright";
import { nearestOf } from "../geometry/distance";
import { IDENTITY, placementOf } from "../geometry/transform";
import { onModel } from "../surface/surface";
import { Outlines } from "../spatial/Outlines";

/** Islands whose main direction is off the axes by more than this count as crooked. */
const CROOKED = (0.5 * Math.PI) / 180;
/** Cosine up to which islands look the same way; and how much of its area an island must look one way with. */
const SAME_WAY = Math.cos((25 * Math.PI) / 180);
const LOOKS = 0.2;
/** Texels of a triangle that shows nothing. */
const NO_AREA = 1e-3;
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

/**
 * px of a checker square of which the smallest triangle of some islands shows about four, whole ones
 * from 1 px; null where none has an area.
 */
export function squareForSmallest(editor: Editor, islands: readonly number[]): number | null {
  const { geometry, model, tiles } = editor.document;
  if (!geometry || !model) return null;
  const { corners, triangleIsland } = geometry.base;
  const texels = new Map<number, number>();
  for (const island of islands) {
    const [a, b, , c, d] = placementOf(model.placements, island);
    const tile = tiles.find((one) => one.number === model.homes[island]) ?? tiles[0];
    texels.set(island, Math.abs(a * d - b * c) * tile.width * tile.height);
  }
  let least = Infinity;
  for (let t = 0; t < triangleIsland.length; t++) {
    const factor = texels.get(triangleIsland[t]);
    if (factor === undefined) continue;
    const [ax, ay, bx, by, cx, cy] = corners.subarray(6 * t, 6 * t + 6);
    const area = 0.5 * Math.abs((bx - ax) * (cy - ay) - (by - ay) * (cx - ax)) * factor;
    if (area > NO_AREA) least = Math.min(least, area);
  }
  return Number.isFinite(least) ? Math.max(1, Math.round(Math.sqrt(least) / 2)) : null;
}

/** Islands that look the same way on the model as some do; those that look all ways look none. */
export function sameDirection(editor: Editor, islands: readonly number[]): number[] {
  const { geometry } = editor.document;
  if (!geometry) return [];
  const places = onModel(geometry);
  const way = (island: number): [number, number, number] | null => {
    const row = places.get(island);
    const size = row ? Math.hypot(...row.facing) : 0;
    if (!row || size < LOOKS * row.area) return null;
    return [row.facing[0] / size, row.facing[1] / size, row.facing[2] / size];
  };
  const wanted = islands.flatMap((island) => way(island) ?? []);
  return islandsWhere(editor, (island) => {
    const n = way(island);
    if (!n) return false;
    for (let k = 0; k < wanted.length; k += 3)
      if (wanted[k] * n[0] + wanted[k + 1] * n[1] + wanted[k + 2] * n[2] >= SAME_WAY) return true;
    return false;
  });
}

/** Islands of the groups of the file that some islands are in, once the objects' groups are there. */
export async function sameGroup(editor: Editor, islands: readonly number[]): Promise<number[]> {
  const own = new Set(islands);
  const objects = new Set(islands.flatMap((i) => editor.document.objectOf(i)?.id ?? []));
  const out = new Set<number>();
  for (const object of objects) {
    const surface = await editor.picks.ready(object);
    const group = surface?.corners.group;
    if (!surface || !group) continue;
    const wanted = new Set([...group].filter((_, t) => own.has(surface.island(t))));
    group.forEach((g, t) => {
      if (wanted.has(g) && surface.island(t) >= 0) out.add(surface.island(t));
    });
  }
  return [...out].filter((island) => !editor.document.hidden.has(island));
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
