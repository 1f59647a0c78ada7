import type { Atlas, ControlRequest, Project } from "./api/client";
import { lookAlikes } from "./api/arrange";
import type { Actions } from "./api/hooks";
import { CONTROL } from "./editor/document/LayoutDocument";
import type { Editor } from "./editor/Editor";
import { groups, nextFinding } from "./editor/findings/walk";
import * as format from "./format";
import { SNAPS } from "./editor/snap/SnapManager";
import { VIEWS } from "./editor/style/views";
import type { ToolName } from "./editor/tools/ToolManager";
import { handCommands } from "./handCommands";
import { unwrapCommands } from "./unwrapCommands";
import { useRooms } from "./room";
import { requestOf, USUAL } from "./panels/merge/settings";
import { selectCommands } from "./selectCommands";
import { nextName, STAGES, tellError, useUi } from "./state";

export type Command = {
  name: string;
  group: string;
  hint?: string;
  enabled: boolean;
  on?: boolean;
  run: () => void;
};

type Change = Omit<ControlRequest, "change" | "islands">;

/** What can be said about the islands that are selected. Locks that all of them have are taken off again. */
export function islandCommands(editor: Editor, actions: Actions): Command[] {
  const islands = editor.selection.list();
  const some = islands.length > 0 && !actions.control.isPending;
  const set = (change: Change, which = islands) =>
    actions.control.mutate({ islands: which, ...change });
  const all = (bit: number) => some && islands.every((i) => editor.document.control(i).flags & bit);
  const toggle = (
    name: string,
    bit: number,
    key: "lock_place" | "lock_turn" | "lock_size" | "may_mirror" | "left_out",
    hint: string,
  ): Command => ({
    name,
    group: "Islands",
    hint,
    enabled: some,
    on: all(bit),
    run: () => set({ [key]: !all(bit) }),
  });
  const mates = (kind: "bundle" | "stack") => [
    ...new Set(
      islands.flatMap((i) =>
        editor.document.control(i)[kind] >= 0 ? editor.document.mates(kind, i) : [],
      ),
    ),
  ];
  return [
    toggle("Lock place", CONTROL.place, "lock_place", "stays where it lies, others pack around it"),
    toggle("Lock rotation", CONTROL.turn, "lock_turn", "stays upright as it is"),
    toggle("Lock size", CONTROL.size, "lock_size", "keeps its size when the others scale"),
    toggle("May be flipped", CONTROL.mirror, "may_mirror", "the packer may flip it"),
    toggle("Leave out", CONTROL.out, "left_out", "lies on the side table"),
    {
      name: "Bundle",
      group: "Islands",
      hint: "packed as one cluster",
      enabled: some && islands.length > 1,
      run: () => set({ bundle: true }),
    },
    ...(["object", "material"] as const).map((by) => ({
      name: `One bundle per ${by}`,
      group: "Islands",
      hint: islands.length ? "of those selected" : "of all islands",
      enabled: editor.document.info !== null && !actions.control.isPending,
      run: () =>
        set(
          { bundle_by: by },
          islands.length
            ? islands
            : Array.from({ length: editor.document.info?.world_area.length ?? 0 }, (_, i) => i),
        ),
    })),
    {
      name: "Take bundle apart",
      group: "Islands",
      enabled: some && mates("bundle").length > 0,
      run: () => set({ bundle: false }, mates("bundle")),
    },
    {
      name: "Stack",
      group: "Islands",
      hint: "share the same texels",
      enabled: some && islands.length > 1,
      run: () => set({ stack: true }),
    },
    {
      name: "Take off the stack",
      group: "Islands",
      enabled: some && islands.some((i) => editor.document.control(i).stack >= 0),
      run: () => set({ stack: false }),
    },
    ...editor.document.tiles.map((tile) => ({
      name: `Send to tile ${tile.number}`,
      group: "Tiles",
      enabled: some,
      run: () => set({ tile: tile.number }),
    })),
    {
      name: "Let go to any tile",
      group: "Tiles",
      enabled: some && islands.some((i) => editor.document.control(i).tile > 0),
      run: () => set({ tile: 0 }),
    },
  ];
}

/** Where the objects of the selected islands can go. */
export function objectCommands(
  editor: Editor,
  actions: Actions,
  project: Project,
  atlas: Atlas,
): Command[] {
  const picked = new Set(editor.selection.list().map((i) => editor.document.objectOf(i)?.id));
  const parted = (editor.document.info?.objects ?? []).filter((o) => picked.has(o.id));
  const objects = parted.map((o) => o.id);
  const some = objects.length > 0;
  const said = objects.length === 1 ? "this object" : `these ${objects.length} objects`;
  const goTo = useUi.getState().goToAtlas;
  const islands = editor.selection.list();
  const whole = parted.reduce((sum, o) => sum + o.islands, 0) === islands.length;
  return [
    ...(some && !whole ? partCommands(islands, actions, project, atlas) : []),
    {
      name: "New atlas of these objects",
      group: "Atlases",
      hint: `${said}, with all islands and what was said of them`,
      enabled: some && !actions.newAtlas.isPending,
      run: () =>
        actions.newAtlas.mutate(
          { name: nextName(project.atlases), objects },
          { onSuccess: ({ atlas: made }) => goTo(made) },
        ),
    },
    ...project.atlases
      .filter((tab) => tab.id !== atlas.id)
      .map((tab) => ({
        name: `Move to ${tab.name}`,
        group: "Atlases",
        hint: `${said}, with all islands`,
        enabled: some,
        run: () => actions.moveObjects.mutate({ atlas: tab.id, objects }),
      })),
    {
      name: "Let go of these objects",
      group: "Atlases",
      hint: "out of the atlas; they stay in the project, see Gather",
      enabled: some,
      run: () => actions.releaseObjects.mutate(objects),
    },
  ];
}

/** Where some islands of an object can go without the others. */
function partCommands(
  islands: number[],
  actions: Actions,
  project: Project,
  atlas: Atlas,
): Command[] {
  const said = islands.length === 1 ? "this island" : `these ${islands.length} islands`;
  const goTo = useUi.getState().goToAtlas;
  return [
    {
      name: "New atlas of these islands",
      group: "Atlases",
      hint: `${said}; the others stay`,
      enabled: !actions.newAtlas.isPending,
      run: () =>
        actions.newAtlas.mutate(
          { name: nextName(project.atlases), source: atlas.id, islands },
          { onSuccess: ({ atlas: made }) => goTo(made) },
        ),
    },
    ...project.atlases
      .filter((tab) => tab.id !== atlas.id)
      .map((tab) => ({
        name: `Move islands to ${tab.name}`,
        group: "Atlases",
        hint: `${said}; the others stay`,
        enabled: true,
        run: () => actions.moveIslands.mutate({ atlas: tab.id, islands }),
      })),
    {
      name: "Let go of these islands",
      group: "Atlases",
      hint: "out of the atlas; they stay in the project, see Gather",
      enabled: true,
      run: () => actions.releaseIslands.mutate(islands),
    },
  ];
}

/** Everything that the command palette offers. */
export function allCommands(
  editor: Editor,
  actions: Actions,
  project: Project,
  atlas: Atlas,
): Command[] {
  const ui = useUi.getState();
  const count = editor.document.info?.world_area.length ?? 0;
  const chosen = editor.selection.list();
  return [
    ...handCommands(editor, actions),
    ...unwrapCommands(editor, actions),
    ...islandCommands(editor, actions),
    ...objectCommands(editor, actions, project, atlas),
    {
      name: "Undo",
      group: "Layout",
      hint: format.action(project.undo),
      enabled: project.undo !== "",
      run: () => actions.undo.mutate(),
    },
    {
      name: "Redo",
      group: "Layout",
      hint: format.action(project.redo),
      enabled: project.redo !== "",
      run: () => actions.redo.mutate(),
    },
    {
      name: "New empty atlas",
      group: "Atlases",
      hint: "a further set of tiles in this project",
      enabled: true,
      run: () =>
        actions.newAtlas.mutate(
          { name: nextName(project.atlases), objects: [] },
          { onSuccess: ({ atlas: made }) => ui.goToAtlas(made) },
        ),
    },
    ...project.atlases
      .filter((tab) => tab.id !== atlas.id)
      .map((tab) => ({
        name: `Go to ${tab.name}`,
        group: "Atlases",
        enabled: true,
        run: () => ui.goToAtlas(tab.id),
      })),
    {
      name: `Empty ${atlas.name}`,
      group: "Atlases",
      hint: "let go of all its objects; they stay in the project",
      enabled: count > 0,
      run: () =>
        actions.releaseObjects.mutate((editor.document.info?.objects ?? []).map((o) => o.id)),
    },
    ...(
      [
        [false, "Merge textures", "one set of textures on the layout of the table"],
        [true, "Preview merged textures", "at 512 px"],
      ] as const
    ).map(([preview, name, hint]) => ({
      name,
      group: "Merge",
      hint,
      enabled: atlas.objects > 0,
      run: () => {
        ui.setStage("Merge");
        actions.merge.mutate(requestOf(USUAL, preview, [], []));
      },
    })),
    {
      name: "All steps",
      group: "Layout",
      hint: "look back, go back, name a step",
      enabled: true,
      run: () => ui.setSteps(!ui.steps),
    },
    {
      name: "Drafts",
      group: "Layout",
      hint: "compare layouts and keep one",
      enabled: true,
      run: () => ui.setDrafts(!ui.drafts),
    },
    ...SNAPS.map((kind) => ({
      name: `Snap to ${kind}`,
      group: "By hand",
      hint: "hold Alt while dragging to suspend it",
      enabled: true,
      on: editor.snap.isOn(kind),
      run: () => editor.snap.toggle(kind),
    })),
    ...selectCommands(editor, project),
    {
      name: "Select look-alikes",
      group: "Select",
      hint: "islands of the same shape and size, mirrored ones too",
      enabled: chosen.length > 0,
      run: () =>
        void lookAlikes(atlas.id, project.change, chosen).then(
          (found) => editor.select((s) => s.set(found)),
          tellError,
        ),
    },
    ...toolCommands(editor),
    {
      name: "Commands",
      group: "View",
      hint: "everything by name",
      enabled: true,
      run: () => ui.setPalette(true),
    },
    {
      name: "Shortcuts",
      group: "View",
      hint: "see and change them",
      enabled: true,
      run: () => ui.setHelp(true),
    },
    {
      name: "The table alone",
      group: "View",
      hint: "and back",
      enabled: true,
      run: () => useRooms.getState().giveAll(),
    },
    {
      name: "Next finding",
      group: "View",
      hint: "",
      enabled: editor.figures.proof !== null,
      run: () => stepFinding(editor, 1),
    },
    {
      name: "Finding before",
      group: "View",
      hint: "",
      enabled: editor.figures.proof !== null,
      run: () => stepFinding(editor, -1),
    },
    {
      name: "Show what is selected",
      group: "View",
      enabled: chosen.length > 0,
      run: () => editor.frameSelection(),
    },
    {
      name: "Show the whole table",
      group: "View",
      enabled: count > 0,
      run: () => editor.frameTable(),
    },
    ...VIEWS.map((view) => ({
      name: `View as ${view}`,
      group: "View",
      enabled: count > 0,
      on: editor.view.as === view,
      run: () => editor.setView(view),
    })),
    ...STAGES.map((stage) => ({
      name: `Go to ${stage}`,
      group: "Stages",
      enabled: true,
      run: () => ui.setStage(stage),
    })),
    {
      name: ui.theme === "paper" ? "Night theme" : "Paper theme",
      group: "View",
      enabled: true,
      run: ui.toggleTheme,
    },
  ];
}

/** What can be taken into the hand. */
export function toolCommands(editor: Editor): Command[] {
  return TOOLS.map(({ tool, name, hint }) => ({
    name,
    group: "By hand",
    hint,
    enabled: editor.handsOn && editor.document.count > 0,
    run: () => void editor.tools.use(tool),
  }));
}

/** Tools by their words. */
export const TOOLS: { tool: ToolName; name: string; hint: string }[] = [
  {
    tool: "take",
    name: "Move",
    hint: "drag islands; pins turn and size; drag the empty table to select",
  },
  {
    tool: "lasso",
    name: "Lasso",
    hint: "draw round islands to select them; Shift adds, Ctrl takes away",
  },
  {
    tool: "brush",
    name: "Brush",
    hint: "pass over islands to select them; Shift adds, Ctrl takes away",
  },
  {
    tool: "region",
    name: "Pack here",
    hint: "draw where the selected islands shall go; Shift freehand, Alt scales them to fill it",
  },
];

/** Through the findings of the kind that is looked at; of the first kind where none is. */
function stepFinding(editor: Editor, step: 1 | -1): void {
  if (!editor.figures.proof) return;
  const all = groups(editor.figures.proof);
  const group = all.find((g) => g.kind === editor.figures.finding?.kind) ?? all[0];
  if (group) editor.showFinding(nextFinding(group.findings, editor.figures.finding, step));
}

/** Commands whose words all begin or hold what was typed, the best match first. */
export function matching(commands: Command[], typed: string): Command[] {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  const score = (c: Command) => {
    const text = `${c.name} ${c.group}`.toLowerCase();
    if (!words.every((w) => text.includes(w))) return -1;
    return words.length && c.name.toLowerCase().startsWith(words[0]) ? 2 : 1;
  };
  return commands.filter((c) => c.enabled && score(c) >= 0).sort((a, b) => score(b) - score(a));
}
