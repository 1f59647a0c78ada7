import { CONTROLS, MEASURED } from "../editor/flags.generated";
import type { Acting } from "../api/actions/act";
import type { ActionName } from "../api/actions/requests";
import type { Editor } from "../editor/Editor";
import { sizing } from "../editor/geometry/transform";
import { sizeOf } from "../editor/selection/finders";
import {
  EMPTY,
  IN_HAND,
  lacking,
  middleOf,
  SELECT_FIRST,
  UNDER_WAY,
  type Command,
  type Need,
} from "./command";

/** Fitting and making room. */
export function roomCommands(editor: Editor, { act, busy }: Acting): Command[] {
  const islands = editor.selection.list();
  const hands: Need[] = [
    [editor.handsOn, IN_HAND],
    [editor.document.count > 0, EMPTY],
  ];
  const some: Need[] = [...hands, [islands.length > 0, SELECT_FIRST]];
  const several: Need[] = [...hands, [islands.length > 1, "Select two islands or more first."]];
  const idle = (name: ActionName): Need => [!busy(name), UNDER_WAY];
  const tile = tileInSight(editor);
  const here = editor.tools.last;
  const under = here ? editor.document.map.tileAt(here.x, here.y) : 0;
  const shrink = (percent: number): Command => ({
    id: `shrink-by-${percent}`,
    label: `Shrink by ${percent} %`,
    group: "By hand",
    hint: `all islands of tile ${tile}, about its middle`,
    lacks: lacking(...hands),
    run: () => shrinkBy(editor, tile, percent),
  });
  const next = nextUnplaced(editor);
  return [
    ...(["down", "up", "left", "right"] as const).map((direction) => ({
      id: `slide-${direction}`,
      label: `Slide ${direction} to contact`,
      group: "By hand",
      hint: "slide until it touches at the padding",
      lacks: lacking(...some, idle("slide-to-contact")),
      run: () => act("slide-to-contact", { islands, direction }),
    })),
    {
      id: "slide-each-down",
      label: "Slide each down to contact",
      group: "By hand",
      hint: "one after the other, as if falling",
      lacks: lacking(...several, idle("slide-to-contact")),
      run: () => act("slide-to-contact", { islands, direction: "down", each: true }),
    },
    {
      id: "fit-into-gaps",
      label: "Fit into gaps",
      group: "By hand",
      hint: `each into the most snug free spot of tile ${tile}`,
      lacks: lacking(...some, idle("fit-into-gaps")),
      run: () => act("fit-into-gaps", { islands, tile }),
    },
    {
      id: "fit-into-gaps-here",
      label: "Fit into gaps at the pointer",
      group: "By hand",
      hint: "the free spot nearest to the pointer",
      lacks: lacking(...some, [under > 0, "Hold the pointer over a tile."], idle("fit-into-gaps")),
      run: () =>
        act("fit-into-gaps", {
          islands,
          tile: under,
          near: editor.document.map.inPx(under, here!.x, here!.y),
        }),
    },
    {
      id: "fit-into-gaps-block",
      label: "Fit into gaps as one block",
      group: "By hand",
      hint: "all together as they lie, where it is most snug",
      lacks: lacking(...several, idle("fit-into-gaps")),
      run: () => act("fit-into-gaps", { islands, tile, block: true }),
    },
    {
      id: "continue-across",
      label: "Continue across seams",
      group: "By hand",
      hint: "so that a repeating texture goes on from neighbour to neighbour; the largest stays",
      lacks: lacking(...some, idle("continue-across")),
      run: () => act("continue-across", { islands, repeats: repeatsHere(editor, islands[0]) }),
    },
    {
      id: "make-room",
      label: "Make room",
      group: "By hand",
      hint: "neighbours that are too near step aside, just enough",
      lacks: lacking(...some, idle("make-room")),
      run: () => act("make-room", { islands }),
    },
    {
      id: "make-room-aside",
      label: "Make room, the rest aside",
      group: "By hand",
      hint: "neighbours step aside; those that find no place go to the side table",
      lacks: lacking(...some, idle("make-room")),
      run: () => act("make-room", { islands, aside: true }),
    },
    {
      id: "shrink-to-fit",
      label: "Shrink to fit the gaps",
      group: "By hand",
      hint: islands.length
        ? "the selected islands, each about its middle"
        : "all islands, each about its middle",
      lacks: lacking(...hands, idle("shrink-to-fit")),
      run: () => act("shrink-to-fit", { islands }),
    },
    ...[1, 2, 5].map(shrink),
    {
      id: "next-from-side-table",
      label: "Next from side table",
      group: "By hand",
      hint:
        next < 0
          ? "nothing lies on the side table"
          : `${editor.document.objectOf(next)?.name} ${editor.document.number(next)}, the largest on the side table`,
      lacks: lacking([editor.handsOn, IN_HAND], [next >= 0, "Nothing lies on the side table."]),
      run: () => void takeNext(editor),
    },
  ];
}

/** How often what is worn repeats over the tile of an island. */
function repeatsHere(editor: Editor, island: number): [number, number] {
  const { tiles, model } = editor.document;
  const tile = tiles.find((one) => one.number === model?.homes[island]) ?? tiles[0];
  return editor.view.repeatsOver(tile.width, tile.height);
}

/** All islands of a tile together about its middle, smaller by a percentage; what is selected stays so. */
export function shrinkBy(editor: Editor, tile: number, percent: number): void {
  const { map, model, count } = editor.document;
  const before = editor.selection.list();
  const factor = 1 - percent / 100;
  editor.select((s) =>
    s.set(Array.from({ length: count }, (_, i) => i).filter((i) => model?.homes[i] === tile)),
  );
  void editor.transform("size", sizing(factor, factor, middleOf(map.sheet(tile))));
  editor.select((s) => s.set(before));
}

/** The largest island on the side table that may be moved; -1 for none. */
function nextUnplaced(editor: Editor): number {
  const waiting = editor.document
    .flagged(MEASURED.side_table)
    .filter(
      (island) =>
        !(editor.document.control(island).flags & (CONTROLS.lock_place | CONTROLS.leave_out)),
    );
  return waiting.reduce(
    (best, island) => (best < 0 || sizeOf(editor, island) > sizeOf(editor, best) ? island : best),
    -1,
  );
}

function takeNext(editor: Editor): boolean {
  const next = nextUnplaced(editor);
  if (next < 0) return false;
  editor.select((s) => s.set([next]));
  return editor.tools.carry();
}

/** The tile that the middle of the view lies on, else that of the selected islands, else the first. */
export function tileInSight(editor: Editor): number {
  const { map, tiles, model } = editor.document;
  const picked = editor.selection.list();
  const home = picked.length && model ? model.homes[picked[0]] : 0;
  return home || map.tileAt(editor.camera.x, editor.camera.y) || tiles[0].number;
}
