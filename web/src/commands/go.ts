import { MEASURED } from "../editor/flags.generated";
import type { Bounds } from "../editor/affine/affine";
import type { Editor } from "../editor/Editor";
import { moving, type Transform } from "../editor/geometry/transform";
import { SIDE_TABLE } from "../editor/table/paper";
import { laidOut } from "../editor/tools/arrange";
import { EMPTY, IN_HAND, lacking, middleOf, movable, type Command } from "./command";

/** A place that was taken down with “Note the place”. */
let noted: [number, number] | null = null;

/** The highest first. */
const bySize = (boxes: Bounds[]) =>
  boxes
    .map((_, k) => k)
    .sort((a, b) => boxes[b].maxY - boxes[b].minY - (boxes[a].maxY - boxes[a].minY));

/** Where islands go. */
export function goCommands(editor: Editor): Command[] {
  const frame = editor.frame;
  const needs = movable(editor);
  const { map, tiles } = editor.document;
  const middle = frame ? middleOf(frame) : ([0, 0] as [number, number]);
  const act = (id: string, label: string, hint: string, by: () => Transform): Command => ({
    id,
    label,
    group: "By hand",
    hint,
    lacks: lacking(...needs),
    run: () => void editor.transform("move", by()),
  });
  const place = () => {
    const [w, h] = map.first;
    return { minX: w * SIDE_TABLE.left, maxX: w * SIDE_TABLE.right, minY: 0, maxY: h };
  };
  const between = () => Math.max(editor.document.padding, 8) / map.pxPerUnit(0);
  // One island keeps its height, several are laid out in rows, under those that lie there.
  const aside = (boxes: Bounds[], islands: number[]) => {
    const own = new Set(islands);
    const there = editor.document
      .flagged(MEASURED.side_table)
      .filter((island) => !own.has(island))
      .map((island) => editor.document.model!.bounds[island]);
    const { minX, maxX, maxY } = place();
    const top = there.reduce((low, b) => Math.min(low, b.minY - between()), maxY);
    return laidOut(boxes, bySize(boxes), { minX, maxX, minY: 0, maxY: top }, between());
  };
  const toTile = (number: number) => () => {
    const sheet = map.sheet(number);
    const from = map.tileAt(...middle);
    const home = from ? map.sheet(from) : null;
    // To the same place of another sheet; from beside the sheets to its middle.
    return home
      ? moving(sheet.minX - home.minX, sheet.minY - home.minY)
      : moving(
          (sheet.minX + sheet.maxX) / 2 - middle[0],
          (sheet.minY + sheet.maxY) / 2 - middle[1],
        );
  };
  const waiting = editor.document.flagged(MEASURED.side_table);
  const tidy = (
    id: string,
    label: string,
    order: (boxes: Bounds[], islands: number[]) => number[],
  ): Command => ({
    id,
    label,
    group: "Side table",
    hint: "in rows beside the tiles",
    lacks: lacking(
      [editor.handsOn, IN_HAND],
      [waiting.length > 0, "Nothing lies on the side table."],
    ),
    run: () => {
      const before = editor.selection.list();
      editor.select((s) => s.set(waiting));
      void editor.moveEach((boxes, islands) =>
        laidOut(boxes, order(boxes, islands), place(), between()),
      );
      editor.select((s) => s.set(before));
    },
  });
  return [
    {
      id: "to-side-table",
      label: "To the side table",
      group: "By hand",
      hint: "in rows beside the tiles, the largest first",
      lacks: lacking(...needs),
      run: () => void editor.moveEach(aside),
    },
    ...tiles.map((tile) =>
      act(`to-tile-${tile.number}`, `To tile ${tile.number}`, "", toTile(tile.number)),
    ),
    ...(
      [
        ["right", 1, 0],
        ["left", -1, 0],
        ["up", 0, 1],
        ["down", 0, -1],
      ] as const
    ).map(([way, x, y]) =>
      act(`tile-${way}`, `One whole tile ${way}`, "to the same place of the next tile", () =>
        moving(x * map.pitch[0], y * map.pitch[1]),
      ),
    ),
    {
      id: "note-place",
      label: "Note the place",
      group: "By hand",
      hint: "of the middle of what is selected",
      lacks: lacking(...needs),
      run: () => {
        noted = middle;
      },
    },
    act("lay-at-place", "Lay at the noted place", "middle on middle", () =>
      noted ? moving(noted[0] - middle[0], noted[1] - middle[1]) : moving(0, 0),
    ),
    {
      id: "fold-side-table",
      label: editor.view.sideFolded ? "Unfold the side table" : "Fold the side table",
      group: "Side table",
      hint: "the tiles get its room",
      lacks: lacking([editor.document.count > 0, EMPTY]),
      run: () => editor.foldSide(!editor.view.sideFolded),
    },
    tidy("tidy-by-size", "Tidy the side table by size", bySize),
    tidy("tidy-by-object", "Tidy the side table by object", (_, islands) =>
      islands.map((_, k) => k),
    ),
  ];
}
