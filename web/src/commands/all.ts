import { lookAlikes } from "../api/arrange";
import type { Acting } from "../api/actions/act";
import type { Atlas, Operation, Project } from "../api/client";
import type { Editor } from "../editor/Editor";
import * as format from "../format";
import { requestOf, USUAL } from "../panels/merge/settings";
import { nextName, tellError, useUi, type Stage } from "../state";
import { EMPTY, lacking, SELECT_FIRST, UNDER_WAY, type Command } from "./command";
import { handCommands } from "./hand";
import { islandCommands } from "./island";
import { objectCommands } from "./object";
import { selectCommands } from "./select";
import { unwrapCommands } from "./unwrap";
import { snapCommands, toolCommands, viewCommands } from "./view";

/** Everything that the command palette offers. */
export function allCommands(
  editor: Editor,
  acting: Acting,
  project: Project,
  atlas: Atlas,
): Command[] {
  return [
    ...handCommands(editor, acting),
    ...unwrapCommands(editor, acting),
    ...islandCommands(editor, acting),
    ...objectCommands(editor, acting, project, atlas),
    ...projectCommands(editor, acting, project, atlas),
    ...snapCommands(editor),
    ...selectCommands(editor, project),
    {
      id: "select-alike",
      label: "Select look-alikes",
      group: "Select",
      hint: "islands of the same shape and size, mirrored ones too",
      lacks: lacking([editor.selection.size > 0, SELECT_FIRST]),
      run: () =>
        void lookAlikes(atlas.id, project.change, editor.selection.list()).then(
          (found) => editor.select((s) => s.set(found)),
          tellError,
        ),
    },
    ...toolCommands(editor),
    ...viewCommands(editor),
  ];
}

/** Where the settings of an operation stand; of one that is not here, its step in the run sheet. */
const HOMES: Record<string, Stage> = {
  inspect: "Gather",
  gather: "Gather",
  update: "Gather",
  channels: "Gather",
  unwrap: "Unwrap",
  edit: "Unwrap",
  "copy-layout": "Unwrap",
  "even-out": "Even out",
  visibility: "Arrange",
  pack: "Arrange",
  move: "Arrange",
  "slide-to-contact": "Arrange",
  "make-room": "Arrange",
  "fit-into-gaps": "Arrange",
  "pack-here": "Arrange",
  "shrink-to-fit": "Arrange",
  stacks: "Arrange",
  plan: "Arrange",
  limit: "Arrange",
  merge: "Merge",
  bake: "Check",
  check: "Check",
  report: "Check",
};

/** A command for each operation: it leads to its settings, by its trade words too. */
export const operationCommands = (operations: Operation[]): Command[] =>
  operations.map((operation) => {
    const stage = HOMES[operation.name] ?? "Hand off";
    const words = operation.name.replace(/-/g, " ");
    return {
      id: `operation-${operation.name}`,
      label: `${words.charAt(0).toUpperCase()}${words.slice(1)}…`,
      group: stage,
      hint: operation.help,
      lacks: "",
      run: () => useUi.getState().setStage(stage),
    };
  });

function projectCommands(
  editor: Editor,
  { act, busy }: Acting,
  project: Project,
  atlas: Atlas,
): Command[] {
  const ui = useUi.getState();
  return [
    {
      id: "undo",
      label: "Undo",
      group: "Layout",
      hint: format.action(project.undo),
      lacks: lacking([project.undo !== "", "There is nothing to undo."]),
      run: () => act("undo", undefined),
    },
    {
      id: "redo",
      label: "Redo",
      group: "Layout",
      hint: format.action(project.redo),
      lacks: lacking([project.redo !== "", "There is nothing to redo."]),
      run: () => act("redo", undefined),
    },
    {
      id: "new-atlas",
      label: "New empty atlas",
      group: "Atlases",
      hint: "a further set of tiles in this project",
      lacks: lacking([!busy("new-atlas"), UNDER_WAY]),
      run: () =>
        act("new-atlas", { name: nextName(project.atlases), objects: [] }, ({ atlas: made }) =>
          ui.goToAtlas(made),
        ),
    },
    ...project.atlases
      .filter((tab) => tab.id !== atlas.id)
      .map((tab) => ({
        id: `go-to-atlas-${tab.id}`,
        label: `Go to ${tab.name}`,
        group: "Atlases",
        lacks: "",
        run: () => ui.goToAtlas(tab.id),
      })),
    {
      id: "empty-atlas",
      label: `Empty ${atlas.name}`,
      group: "Atlases",
      hint: "let go of all its objects; they stay in the project",
      lacks: lacking([editor.document.count > 0, "It is empty already."]),
      run: () =>
        act("release", { objects: (editor.document.info?.objects ?? []).map((o) => o.id) }),
    },
    ...(
      [
        [
          false,
          "merge-textures",
          "Merge textures",
          "one set of textures on the layout of the table",
        ],
        [true, "preview-merge", "Preview merged textures", "at 512 px"],
      ] as const
    ).map(([preview, id, label, hint]) => ({
      id,
      label,
      group: "Merge",
      hint,
      lacks: lacking([atlas.objects > 0, EMPTY], [!busy("merge"), UNDER_WAY]),
      run: () => {
        ui.setStage("Merge");
        act("merge", requestOf(USUAL, preview, [], []));
      },
    })),
    {
      id: "steps",
      label: "All steps",
      group: "Layout",
      hint: "look back, go back, name a step",
      lacks: "",
      run: () => ui.setSteps(!ui.steps),
    },
    {
      id: "drafts",
      label: "Drafts",
      group: "Layout",
      hint: "compare layouts and keep one",
      lacks: "",
      run: () => ui.setDrafts(!ui.drafts),
    },
  ];
}
