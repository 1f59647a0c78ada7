import type { Actions, Edit } from "./api/hooks";
import type { Command } from "./commands";
import type { Editor } from "./editor/Editor";
import { PICKED } from "./editor/picks/PicksManager";
import { useUi } from "./state";

/** What mending can do to what is selected, and what a click picks; only in the stage Unwrap. */
export function unwrapCommands(editor: Editor, actions: Actions): Command[] {
  if (useUi.getState().stage !== "Unwrap") return [];
  const { picks, selection } = editor;
  const [faces, edges, corners] = [
    picks.count("faces"),
    picks.count("edges"),
    picks.count("corners"),
  ];
  const idle = !actions.edit.isPending;
  const region = faces
    ? { objects: picks.sent().map((own) => ({ ...own, edges: [], corners: [] })) }
    : { islands: selection.list() };
  const edit = (
    name: string,
    verb: Edit["verb"],
    enabled: boolean,
    what: Partial<Edit>,
    hint: string,
  ): Command => ({
    name,
    group: "Unwrap",
    hint,
    enabled: enabled && idle,
    run: () => actions.edit.mutate({ verb, ...what }),
  });
  const along = { objects: picks.sent() };
  const some = faces > 0 || selection.size > 0;
  return [
    ...PICKED.map((mode) => ({
      name: `Select ${mode}`,
      group: "Unwrap",
      hint: "on the model and the table",
      enabled: true,
      on: picks.mode === mode,
      run: () => picks.use(mode),
    })),
    {
      name: "Let go of selected faces, edges and vertices",
      group: "Unwrap",
      enabled: picks.some,
      run: () => picks.clear(),
    },
    edit(
      "Unwrap along selected edges",
      "unwrap along",
      edges > 0,
      { objects: picks.sent().map((own) => ({ ...own, faces: [] })) },
      "they become seams beside those there are",
    ),
    edit("Cut along selected edges", "cut", edges > 0, along, "shapes stay as they are"),
    edit("Join along selected edges", "join", edges > 0, along, "the smaller island comes over"),
    edit("Split selected faces off", "split off", faces > 0, region, "islands of their own"),
    edit("Unpick vertex", "unpick vertex", corners === 1, along, "it lets go of its neighbours"),
    edit(
      "Reduce stretch",
      "reduce stretch",
      some,
      region,
      "less stretch where it is, no face turned over",
    ),
    edit("To a rectangle", "straighten", some, region, "strips and grids of quads in proportion"),
    edit("Fewer islands", "fewer islands", some, region, "join neighbours with little stretch"),
  ];
}
