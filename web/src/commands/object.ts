import type { Acting } from "../api/actions/act";
import type { Atlas, Project } from "../api/client";
import type { Editor } from "../editor/Editor";
import { nextName, useUi } from "../state";
import { lacking, SELECT_FIRST, UNDER_WAY, type Command, type Need } from "./command";

/** Where the objects of the selected islands can go. */
export function objectCommands(
  editor: Editor,
  acting: Acting,
  project: Project,
  atlas: Atlas,
): Command[] {
  const { act, busy } = acting;
  const picked = new Set(editor.selection.list().map((i) => editor.document.objectOf(i)?.id));
  const parted = (editor.document.info?.objects ?? []).filter((o) => picked.has(o.id));
  const objects = parted.map((o) => o.id);
  const some: Need = [objects.length > 0, SELECT_FIRST];
  const said = objects.length === 1 ? "this object" : `these ${objects.length} objects`;
  const goTo = useUi.getState().goToAtlas;
  const islands = editor.selection.list();
  const whole = parted.reduce((sum, o) => sum + o.islands, 0) === islands.length;
  return [
    ...(objects.length && !whole ? partCommands(islands, acting, project, atlas) : []),
    {
      id: "new-atlas-of-objects",
      label: "New atlas of these objects",
      group: "Atlases",
      hint: `${said}, with all islands and what was said of them`,
      lacks: lacking(some, [!busy("new-atlas"), UNDER_WAY]),
      run: () =>
        act("new-atlas", { name: nextName(project.atlases), objects }, ({ atlas: made }) =>
          goTo(made),
        ),
    },
    ...project.atlases
      .filter((tab) => tab.id !== atlas.id)
      .map((tab) => ({
        id: `move-to-atlas-${tab.id}`,
        label: `Move to ${tab.name}`,
        group: "Atlases",
        hint: `${said}, with all islands`,
        lacks: lacking(some),
        run: () => act("move-objects", { atlas: tab.id, objects }),
      })),
    {
      id: "release-objects",
      label: "Let go of these objects",
      group: "Atlases",
      hint: "out of the atlas; they stay in the project, see Gather",
      lacks: lacking(some),
      run: () => act("release", { objects }),
    },
  ];
}

/** Where some islands of an object can go without the others. */
function partCommands(
  islands: number[],
  { act, busy }: Acting,
  project: Project,
  atlas: Atlas,
): Command[] {
  const said = islands.length === 1 ? "this island" : `these ${islands.length} islands`;
  const goTo = useUi.getState().goToAtlas;
  return [
    {
      id: "new-atlas-of-islands",
      label: "New atlas of these islands",
      group: "Atlases",
      hint: `${said}; the others stay`,
      lacks: lacking([!busy("new-atlas"), UNDER_WAY]),
      run: () =>
        act(
          "new-atlas",
          { name: nextName(project.atlases), source: atlas.id, islands },
          ({ atlas: made }) => goTo(made),
        ),
    },
    ...project.atlases
      .filter((tab) => tab.id !== atlas.id)
      .map((tab) => ({
        id: `move-islands-to-atlas-${tab.id}`,
        label: `Move islands to ${tab.name}`,
        group: "Atlases",
        hint: `${said}; the others stay`,
        lacks: "",
        run: () => act("move-islands", { atlas: tab.id, islands }),
      })),
    {
      id: "release-islands",
      label: "Let go of these islands",
      group: "Atlases",
      hint: "out of the atlas; they stay in the project, see Gather",
      lacks: "",
      run: () => act("release-islands", { islands }),
    },
  ];
}
