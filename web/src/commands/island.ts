import { CONTROLS } from "../editor/flags.generated";
import type { Acting } from "../api/actions/act";
import type { BodyOf } from "../api/actions/requests";
import type { Editor } from "../editor/Editor";
import { EMPTY, lacking, SELECT_FIRST, type Command, type Need } from "./command";

type Change = Omit<BodyOf<"control">, "islands">;

/** What can be said about the islands that are selected. Locks that all of them have are taken off again. */
export function islandCommands(editor: Editor, { act }: Acting): Command[] {
  const { document } = editor;
  const islands = editor.selection.list();
  const some: Need = [islands.length > 0, SELECT_FIRST];
  const several: Need = [islands.length > 1, "Select two islands or more first."];
  const set = (change: Change, which = islands) => act("control", { islands: which, ...change });
  const all = (bit: number) =>
    islands.length > 0 && islands.every((i) => document.control(i).flags & bit);
  const toggle = (
    id: string,
    label: string,
    bit: number,
    key: "lock_place" | "lock_rotation" | "lock_size" | "may_flip" | "leave_out",
    hint: string,
  ): Command => ({
    id,
    label,
    group: "Islands",
    hint,
    lacks: lacking(some),
    on: all(bit),
    run: () => set({ [key]: !all(bit) }),
  });
  const mates = (kind: "bundle" | "stack") => [
    ...new Set(
      islands.flatMap((i) => (document.control(i)[kind] >= 0 ? document.mates(kind, i) : [])),
    ),
  ];
  return [
    toggle(
      "lock-place",
      "Lock place",
      CONTROLS.lock_place,
      "lock_place",
      "stays where it lies, others pack around it",
    ),
    toggle(
      "lock-rotation",
      "Lock rotation",
      CONTROLS.lock_rotation,
      "lock_rotation",
      "stays upright as it is",
    ),
    toggle(
      "lock-size",
      "Lock size",
      CONTROLS.lock_size,
      "lock_size",
      "keeps its size when the others scale",
    ),
    toggle(
      "may-be-flipped",
      "May be flipped",
      CONTROLS.may_flip,
      "may_flip",
      "the packer may flip it",
    ),
    toggle("leave-out", "Leave out", CONTROLS.leave_out, "leave_out", "lies on the side table"),
    {
      id: "bundle",
      label: "Bundle",
      group: "Islands",
      hint: "packed as one cluster",
      lacks: lacking(several),
      run: () => set({ bundle: true }),
    },
    ...(["object", "material"] as const).map((by) => ({
      id: `bundle-by-${by}`,
      label: `One bundle per ${by}`,
      group: "Islands",
      hint: islands.length ? "of those selected" : "of all islands",
      lacks: lacking([document.info !== null, EMPTY]),
      run: () =>
        set(
          { bundle_by: by },
          islands.length
            ? islands
            : Array.from({ length: document.info?.world_area.length ?? 0 }, (_, i) => i),
        ),
    })),
    {
      id: "unbundle",
      label: "Take bundle apart",
      group: "Islands",
      lacks: lacking(some, [mates("bundle").length > 0, "None of those selected is in a bundle."]),
      run: () => set({ bundle: false }, mates("bundle")),
    },
    {
      id: "stack",
      label: "Stack",
      group: "Islands",
      hint: "share the same texels",
      lacks: lacking(several),
      run: () => set({ stack: true }),
    },
    {
      id: "unstack",
      label: "Take off the stack",
      group: "Islands",
      lacks: lacking(some, [
        islands.some((i) => document.control(i).stack >= 0),
        "None of those selected is in a stack.",
      ]),
      run: () => set({ stack: false }),
    },
    ...document.tiles.map((tile) => ({
      id: `send-to-tile-${tile.number}`,
      label: `Send to tile ${tile.number}`,
      group: "Tiles",
      lacks: lacking(some),
      run: () => set({ tile: tile.number }),
    })),
    {
      id: "any-tile",
      label: "Let go to any tile",
      group: "Tiles",
      lacks: lacking(some, [
        islands.some((i) => document.control(i).tile > 0),
        "None of those selected is kept to a tile.",
      ]),
      run: () => set({ tile: 0 }),
    },
  ];
}
