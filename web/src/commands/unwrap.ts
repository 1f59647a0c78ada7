import type { Acting } from "../api/actions/act";
import type { BodyOf } from "../api/actions/requests";
import type { Editor } from "../editor/Editor";
import { PICKED } from "../editor/picks/PicksManager";
import { useUi } from "../state";
import { lacking, UNDER_WAY, type Command, type Need } from "./command";

/** What mending can do to what is selected, and what a click picks; only in the stage Unwrap. */
export function unwrapCommands(editor: Editor, { act, busy }: Acting): Command[] {
  const here: Need = [useUi.getState().stage === "Unwrap", "Go to the stage Unwrap first."];
  const { picks, selection } = editor;
  const [faces, edges, corners] = [
    picks.count("faces"),
    picks.count("edges"),
    picks.count("vertices"),
  ];
  const idle: Need = [!busy("edit"), UNDER_WAY];
  const region = faces
    ? { objects: picks.sent().map((own) => ({ ...own, edges: [], corners: [] })) }
    : { islands: selection.list() };
  const edit = (
    id: string,
    label: string,
    verb: BodyOf<"edit">["verb"],
    need: Need,
    what: Partial<BodyOf<"edit">>,
    hint: string,
  ): Command => ({
    id,
    label,
    group: "Unwrap",
    hint,
    lacks: lacking(here, need, idle),
    run: () => act("edit", { verb, ...what }),
  });
  const along = { objects: picks.sent() };
  const some: Need = [faces > 0 || selection.size > 0, "Select islands or faces first."];
  const seams: Need = [edges > 0, "Select edges first."];
  return [
    ...PICKED.map((mode) => ({
      id: `pick-${mode}`,
      label: `Select ${mode}`,
      group: "Unwrap",
      hint: "on the model and the table",
      lacks: lacking(here),
      on: picks.mode === mode,
      run: () => picks.use(mode),
    })),
    {
      id: "clear-picks",
      label: "Let go of selected faces, edges and vertices",
      group: "Unwrap",
      lacks: lacking(here, [picks.some, "None are selected."]),
      run: () => picks.clear(),
    },
    edit(
      "unwrap-along",
      "Unwrap along selected edges",
      "unwrap along",
      seams,
      { objects: picks.sent().map((own) => ({ ...own, faces: [] })) },
      "they become seams beside those there are",
    ),
    edit("cut", "Cut along selected edges", "cut", seams, along, "shapes stay as they are"),
    edit(
      "join",
      "Join along selected edges",
      "join",
      seams,
      along,
      "the smaller island comes over",
    ),
    edit(
      "split-off",
      "Split selected faces off",
      "split off",
      [faces > 0, "Select faces first."],
      region,
      "islands of their own",
    ),
    edit(
      "unpick-vertex",
      "Unpick vertex",
      "unpick vertex",
      [corners === 1, "Select one vertex."],
      along,
      "it lets go of its neighbours",
    ),
    edit(
      "reduce-stretch",
      "Reduce stretch",
      "reduce stretch",
      some,
      region,
      "less stretch where it is, no face turned over",
    ),
    edit(
      "to-rectangle",
      "To a rectangle",
      "straighten",
      some,
      region,
      "strips and grids of quads in proportion",
    ),
    edit(
      "fewer-islands",
      "Fewer islands",
      "fewer islands",
      some,
      region,
      "join neighbours with little stretch",
    ),
  ];
}
