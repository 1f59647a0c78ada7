import { navigate } from "wouter/use-browser-location";
import { lookAlikes } from "../api/arrange";
import type { Acting } from "../api/actions/act";
import type { Atlas, Project } from "../api/client";
import type { Editor } from "../editor/Editor";
import * as format from "../format";
import { requestOf, USUAL } from "../panels/merge/settings";
import { nextName, tellError, useUi } from "../state";
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
      id: "rename-atlas",
      label: `Rename ${atlas.name}`,
      group: "Atlases",
      lacks: lacking([
        project.atlases.length > 1,
        "The only atlas has no tab: rename the project, in All projects.",
      ]),
      run: () => ui.nameAtlas(atlas.id),
    },
    {
      id: "delete-atlas",
      label: `Delete ${atlas.name}`,
      group: "Atlases",
      hint: "its objects stay in the project",
      lacks: lacking([project.atlases.length > 1, "A project keeps one atlas."]),
      run: () => act("delete-atlas", atlas.id),
    },
    {
      id: "all-projects",
      label: "All projects",
      group: "Project",
      hint: "open, rename, duplicate or delete one",
      lacks: "",
      run: () => navigate("/projects"),
    },
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
