import type { Bounds } from "../editor/affine/affine";
import type { Editor } from "../editor/Editor";
import { moving, type Transform } from "../editor/geometry/transform";
import { sizeOf } from "../editor/selection/finders";
import { aligned, inOrder, inRow, swapped } from "../editor/tools/arrange";
import type { Acting } from "../api/actions/act";
import { IN_HAND, lacking, UNDER_WAY, type Command, type Need } from "./command";

/** Islands in line and in rows. */
export function rowCommands(editor: Editor, { act, busy }: Acting): Command[] {
  const several: Need[] = [
    [editor.handsOn, IN_HAND],
    [editor.frame !== null && editor.selection.size > 1, "Select two islands or more first."],
  ];
  const { document } = editor;
  const row = (
    id: string,
    label: string,
    hint: string,
    work: (boxes: Bounds[], islands: number[]) => Transform[],
  ): Command => ({
    id,
    label,
    group: "By hand",
    hint,
    lacks: lacking(...several),
    run: () => void editor.moveEach(work),
  });
  const ordered =
    (key: (island: number, k: number, all: number[]) => number) =>
    (boxes: Bounds[], islands: number[]) => {
      const keys = islands.map(key);
      return inOrder(
        boxes,
        islands.map((_, k) => k).sort((a, b) => keys[a] - keys[b]),
        "across",
        document.padding / document.map.pxPerUnit(document.model!.homes[islands[0]]),
      );
    };
  return [
    ...(["left", "right", "top", "bottom", "middle across", "middle up"] as const).map((edge) =>
      row(
        `in-line-${edge.replace(" ", "-")}`,
        edge.startsWith("middle") ? `Middles in line, ${edge.slice(7)}` : `In line at the ${edge}`,
        "all that are selected",
        (boxes) => aligned(boxes, edge),
      ),
    ),
    ...(["across", "up"] as const).map((along) =>
      row(
        `row-${along}`,
        `In a row ${along}`,
        "one behind the other, the padding between them",
        (boxes, islands) =>
          inRow(
            boxes,
            along,
            document.padding / document.map.pxPerUnit(document.model!.homes[islands[0]]),
          ),
      ),
    ),
    row(
      "row-by-size",
      "In a row by size",
      "the largest first",
      ordered((island) => -sizeOf(editor, island)),
    ),
    row(
      "row-by-name",
      "In a row by name",
      "by object and number",
      ordered((island) => island),
    ),
    ...(["best", "x", "y", "z"] as const).map((axis) => ({
      id: `in-order-${axis}`,
      label: `In order round ${axis === "best" ? "an axis" : `the ${axis} axis`}`,
      group: "By hand",
      hint: "pieces of a ring upright, from the top, in their order on the model",
      lacks: lacking(...several, [!busy("in-order"), UNDER_WAY]),
      run: () => act("in-order", { islands: editor.selection.list(), axis }),
    })),
    {
      id: "swap-places",
      label: "Swap places",
      group: "By hand",
      hint: "of two islands, middle for middle",
      lacks: lacking(...several, [editor.selection.size === 2, "Select exactly two islands."]),
      run: () =>
        void editor.moveEach((boxes) =>
          boxes.length === 2 ? swapped(boxes) : boxes.map(() => moving(0, 0)),
        ),
    },
  ];
}
