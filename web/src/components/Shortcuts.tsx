import { CloseButton, Dialog, Portal, Table } from "@chakra-ui/react";
import { useEffect } from "react";
import type { Project } from "../api/client";
import type { Actions } from "../api/hooks";
import { handCommands, islandCommands } from "../commands";
import { groups, nextFinding } from "../editor/findings/walk";
import { useRooms } from "../room";
import { editor, STAGES, useUi } from "../state";

const KEYS: [string, string][] = [
  ["Ctrl+Z", "Undo"], ["Ctrl+Shift+Z or Ctrl+Y", "Redo"], ["Ctrl+A", "Select all islands"], ["Ctrl+I", "Select all but these"], ["Esc", "Select nothing"],
  ["F", "Show what is selected"], ["Home", "Show the whole sheet"], ["Alt+1 … Alt+5", "Go to a stage"], ["Arrows on the table", "Nudge what is selected by a texel; Shift by the padding, Alt by a tenth. With nothing selected they move the view"],
  ["Drag an island", "Move what is selected; Alt suspends snapping, Shift keeps to one axis, Esc puts it back"], ["Drag a pin of the frame", "Size; Alt about the middle, Shift each side for itself"], ["Drag the pin above the frame", "Turn; Shift in steps of 15°"], ["Ctrl+arrows", "Settle: slide until it touches at the padding"], ["[ and ]", "Quarter turn to the left, to the right"], ["\\", "Mirror left and right"],
  ["+ and −, wheel", "Zoom; Alt fine"], ["Space and drag, middle button", "Move the view"], ["Drag on the empty table", "Select with a box; Shift adds, also from an island"],
  ["Arrows in the ledger", "Next row, unfold and fold; Space selects, Enter shows, Shift+F10 opens its menu"], ["Ctrl+K", "Commands by name: locks, bundles, tiles, stages"], ["L", "Lock or unlock the place of what is selected"], ["B", "Bundle what is selected"], ["D", "Drafts"], ["H", "All steps, to look back and go back"], ["F3, Shift+F3", "Next finding, finding before"], ["T", "The table alone, and back"], ["?", "This sheet"],
];

/** Keys for what is done by hand. */
const HAND: Record<string, string> = { "[": "Quarter turn to the left", "]": "Quarter turn to the right", "\\": "Mirror left and right" };

const SETTLE: Record<string, string> = { ArrowDown: "Settle down", ArrowUp: "Settle up", ArrowLeft: "Settle left", ArrowRight: "Settle right" };

export function useShortcuts(actions: Actions, project: Project | undefined) {
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      const typing = e.target instanceof HTMLInputElement || e.target instanceof HTMLSelectElement || e.target instanceof HTMLTextAreaElement;
      const ctrl = e.ctrlKey || e.metaKey;
      const ui = useUi.getState();
      if (typing) return;
      const key = e.key.toLowerCase();
      if (ctrl && key === "z" && !e.shiftKey) { if (project?.undo) actions.undo.mutate(); }
      else if (ctrl && (key === "y" || key === "z")) { if (project?.redo) actions.redo.mutate(); }
      else if (ctrl && SETTLE[e.key]) handCommands(editor, actions).filter((c) => c.name === SETTLE[e.key] && c.enabled).forEach((c) => c.run());
      else if (ctrl && key === "a") editor.select((s) => s.set(Array.from({ length: editor.document.info?.world_area.length ?? 0 }, (_, i) => i)));
      else if (ctrl && key === "k") ui.setPalette(true);
      else if (ctrl && key === "i") editor.select((s) => s.invert(editor.document.info?.world_area.length ?? 0));
      else if (e.altKey && STAGES[Number(e.key) - 1]) ui.setStage(STAGES[Number(e.key) - 1]);
      else if (ctrl || e.altKey) return;
      else if (key === "escape" && ui.steps) ui.setSteps(false);
      else if (key === "escape" && !ui.help) { editor.showFinding(null); editor.select((s) => s.clear()); }
      else if (HAND[e.key]) handCommands(editor, actions).filter((c) => c.name === HAND[e.key] && c.enabled).forEach((c) => c.run());
      else if (key === "l" || key === "b") islandCommands(editor, actions).filter((c) => c.name === (key === "l" ? "Lock place" : "Bundle") && c.enabled).forEach((c) => c.run());
      else if (key === "d") ui.setDrafts(!ui.drafts);
      else if (key === "t") useRooms.getState().giveAll();
      else if (key === "h") ui.setSteps(!ui.steps);
      else if (e.key === "F3") stepFinding(e.shiftKey ? -1 : 1);
      else if (key === "f") editor.frameSelection();
      else if (e.key === "Home") editor.frameTable();
      else if (e.key === "?") ui.setHelp(true);
      else return;
      e.preventDefault();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [actions, project]);
}

/** Through the findings of the kind that is looked at; of the first kind where none is. */
function stepFinding(step: 1 | -1): void {
  if (!editor.figures.proof) return;
  const all = groups(editor.figures.proof);
  const group = all.find((g) => g.kind === editor.figures.finding?.kind) ?? all[0];
  if (group) editor.showFinding(nextFinding(group.findings, editor.figures.finding, step));
}

export function Shortcuts() {
  const { help, setHelp } = useUi();
  return (
    <Dialog.Root open={help} onOpenChange={(e) => setHelp(e.open)} size="md">
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content bg="slip">
            <Dialog.Header><Dialog.Title fontFamily="heading">Shortcuts</Dialog.Title></Dialog.Header>
            <Dialog.Body>
              <Table.Root size="sm"><Table.Body>
                {KEYS.map(([keys, what]) => <Table.Row key={keys} bg="transparent"><Table.Cell fontWeight="600">{keys}</Table.Cell><Table.Cell>{what}</Table.Cell></Table.Row>)}
              </Table.Body></Table.Root>
            </Dialog.Body>
            <Dialog.CloseTrigger asChild><CloseButton size="sm" /></Dialog.CloseTrigger>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  );
}
