import type { LayoutInfo, Report } from "../api/client";
import { numberIn } from "../editor/document/LayoutDocument";
import { findingsOf } from "../editor/findings/walk";
import { MEASURED } from "../editor/flags.generated";
import { islandCode } from "../editor/style/islandStyle";
import * as format from "../format";

export type ObjectListRow = {
  key: string;
  name: string;
  colour: string;
  islands: number[];
  /** Islands of the object in all atlases; of rows that are objects. */
  whole?: number;
  faces: number | null;
  /** Along its own axes in metres; null for an island. */
  size: readonly number[] | null;
  area: number;
  weight: number | null;
  object: number;
  notes: string;
  density: number | null;
  /** Rows of its islands; made when they are unfolded. */
  unfold?: () => ObjectListRow[];
  children?: ObjectListRow[];
};

/** A row an object; its islands once they are unfolded. */
export function rowsOf(info: LayoutInfo, report: Report | null): ObjectListRow[] {
  const total = info.world_area.reduce((sum, area) => sum + area, 0) || 1;
  const flags = info.figures?.island_flags ?? [];
  const densities = info.figures?.island_density ?? [];
  return info.objects.map((o) => {
    const islands = Array.from({ length: o.islands }, (_, k) => o.first_island + k);
    const known = islands.filter((i) => densities[i] !== null && densities[i] !== undefined);
    const area = islands.reduce((sum, i) => sum + info.world_area[i], 0);
    const pixels = known.reduce((sum, i) => sum + densities[i]! ** 2 * info.world_area[i], 0);
    const knownArea = known.reduce((sum, i) => sum + info.world_area[i], 0);
    return {
      key: `o${o.id}`,
      name: o.name,
      colour: o.colour,
      islands,
      faces: o.faces,
      size: o.size,
      area: area / total,
      weight: o.weight,
      object: o.id,
      density: knownArea > 0 ? Math.sqrt(pixels / knownArea) : null,
      notes: report
        ? findingsOf(report, new Set(islands), o.name)
        : notesOf(islands, flags, o.unflattened),
      whole: o.whole,
      unfold: () =>
        islands.map((i) => ({
          key: `i${i}`,
          name: islandCode(o.name, numberIn(o, i)),
          colour: o.colour,
          islands: [i],
          faces: null,
          size: null,
          area: info.world_area[i] / total,
          weight: null,
          object: o.id,
          density: densities[i] ?? null,
          notes: report ? findingsOf(report, new Set([i]), "") : notesOf([i], flags, 0),
        })),
    };
  });
}

function notesOf(islands: number[], flags: number[], unflattened: number): string {
  const count = (flag: number) => islands.filter((i) => flags[i] & flag).length;
  const told: [number, string][] = [
    [count(MEASURED.outside), "outside"],
    [count(MEASURED.overlapping), "overlapping"],
    [count(MEASURED.mirrored), "mirrored"],
    [count(MEASURED.collapsed), "collapsed"],
    [count(MEASURED.side_table), "on the side table"],
  ];
  const parts = told
    .filter(([n]) => n)
    .map(([n, word]) => (islands.length === 1 ? word : `${n} ${word}`));
  if (unflattened) parts.unshift(`no UVs (${format.counted(unflattened, "face")}), left out`);
  return parts.join(", ");
}
