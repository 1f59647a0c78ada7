import type { Editor } from "../editor/Editor";
import { groups, nextFinding } from "../editor/findings/walk";
import { SNAPS } from "../editor/snap/SnapManager";
import { VIEWS } from "../editor/style/views";
import type { ToolName } from "../editor/tools/ToolManager";
import { useRooms } from "../room";
import { STAGES, useUi } from "../state";
import { EMPTY, IN_HAND, lacking, SELECT_FIRST, type Command, type Need } from "./command";

/** What is shown, and how. */
export function viewCommands(editor: Editor): Command[] {
  const ui = useUi.getState();
  const some: Need = [editor.document.count > 0, EMPTY];
  const checked: Need = [editor.figures.report !== null, "The layout is not checked yet."];
  const plain = (
    id: string,
    label: string,
    hint: string,
    run: () => void,
    ...needs: Need[]
  ): Command => ({ id, label, group: "View", hint, lacks: lacking(...needs), run });
  return [
    mainButton(),
    plain("palette", "Commands", "everything by name", () => ui.setPalette(true)),
    plain("shortcuts", "Shortcuts", "see and change them", () => ui.setHelp(true)),
    plain("table-alone", "The table alone", "and back", () => useRooms.getState().giveAll()),
    plain("finding-next", "Next finding", "", () => stepFinding(editor, 1), checked),
    plain("finding-before", "Finding before", "", () => stepFinding(editor, -1), checked),
    plain("frame-selection", "Show what is selected", "", () => editor.frameSelection(), [
      editor.selection.size > 0,
      SELECT_FIRST,
    ]),
    plain("frame-table", "Show the whole table", "", () => editor.frameTable(), some),
    ...VIEWS.map((view) => ({
      ...plain(`view-${view}`, `View as ${view}`, "", () => editor.setView(view), some),
      on: editor.view.as === view,
    })),
    ...STAGES.map((stage) => ({
      id: `go-to-${stage.toLowerCase().replace(" ", "-")}`,
      label: `Go to ${stage}`,
      group: "Stages",
      lacks: "",
      run: () => {
        ui.setStage(stage);
        window.setTimeout(focusPanel, 60);
      },
    })),
    plain("theme", ui.theme === "paper" ? "Night theme" : "Paper theme", "", ui.toggleTheme),
  ];
}

/** What a dragged island snaps to. */
export const snapCommands = (editor: Editor): Command[] =>
  SNAPS.map((kind) => ({
    id: `snap-to-${kind}`,
    label: `Snap to ${kind}`,
    group: "By hand",
    hint: "hold Alt while dragging to suspend it",
    lacks: "",
    on: editor.snap.isOn(kind),
    run: () => editor.snap.toggle(kind),
  }));

/** Tools that islands are moved with. */
export const toolCommands = (editor: Editor): Command[] =>
  TOOLS.map(({ tool, id, label, hint }) => ({
    id,
    label,
    group: "By hand",
    hint,
    lacks: lacking([editor.handsOn, IN_HAND], [editor.document.count > 0, EMPTY]),
    run: () => void editor.tools.use(tool),
  }));

export const TOOLS: { tool: ToolName; id: string; label: string; hint: string }[] = [
  {
    tool: "take",
    id: "tool-move",
    label: "Move",
    hint: "drag islands; pins turn and size; drag the empty table to select",
  },
  {
    tool: "lasso",
    id: "tool-lasso",
    label: "Lasso",
    hint: "draw round islands to select them; Shift adds, Ctrl takes away, Alt takes only what is wholly inside",
  },
  {
    tool: "brush",
    id: "tool-brush",
    label: "Brush",
    hint: "pass over islands to select them; Shift adds, Ctrl takes away",
  },
  {
    tool: "region",
    id: "tool-pack-here",
    label: "Pack here",
    hint: "draw where the selected islands shall go; Shift freehand, Alt scales them to fill it",
  },
];

/** Through the findings of the kind that is looked at; of the first kind where none is. */
function stepFinding(editor: Editor, step: 1 | -1): void {
  if (!editor.figures.report) return;
  const all = groups(editor.figures.report);
  const group = all.find((g) => g.kind === editor.figures.finding?.kind) ?? all[0];
  if (group) editor.showFinding(nextFinding(group.findings, editor.figures.finding, step));
}

/** The focus goes to the first control of the panel: whoever changed the stage by keys goes on from there. */
function focusPanel(): void {
  const panel = document.querySelector("section[aria-label=Task]");
  const first =
    panel?.querySelector<HTMLElement>("[role=tab][aria-selected=true]") ??
    panel?.querySelector<HTMLElement>("button:not(:disabled), [href]");
  first?.focus();
}

/** What the panel is for: its main button, as Pack in Arrange. */
function mainButton(): Command {
  const button = document.querySelector<HTMLButtonElement>("[aria-label=Task] [data-main]");
  return {
    id: "main-button",
    label: button?.textContent ? `Do: ${button.textContent}` : "The panel's main button",
    group: "Stages",
    hint: "what the panel is for, with what is set there",
    lacks: lacking(
      [button !== null, "The panel is folded away, or has no main button."],
      [button === null || !button.disabled, "Its main button is grey: the panel says why."],
    ),
    run: () => button?.click(),
  };
}
