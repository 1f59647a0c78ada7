import { Button, CloseButton, Dialog, Flex, Input, Portal, Table, Text } from "@chakra-ui/react";
import { useEffect, useState } from "react";
import type { Atlas, Project } from "../api/client";
import { useActing, type Acting } from "../api/actions/act";
import { useEditor } from "../api/hooks";
import { allCommands } from "../commands/all";
import { matching } from "../commands/matching";
import { commandFor, keyOf, keysOf, shownKeys, useKeys } from "../shortcuts";
import { useLooked } from "../looked";
import { editor, useUi } from "../state";

/** What pointer and keys do that has no command of its own. */
const POINTER: [string, string][] = [
  ["Esc", "Put back what is under way; then select nothing"],
  [
    "Arrows on the table",
    "Nudge what is selected by a texel; Shift by the padding, Alt by a tenth. With nothing selected they move the view",
  ],
  [
    "Drag an island",
    "Move what is selected; Alt suspends snapping, Shift keeps to one axis, Esc puts it back",
  ],
  ["Drag a pin of the frame", "Size; Alt about the middle, Shift each side for itself"],
  ["Drag the pin above the frame", "Turn; Shift in steps of 15°"],
  ["+ and −, wheel", "Zoom; Alt fine. Two fingers move the view and pinch"],
  ["Space and drag, middle button", "Move the view"],
  ["Drag on the empty table", "Select with a box; Shift adds, also from an island"],
  ["Lasso, brush", "Shift adds, Ctrl takes away; Alt: a lasso takes only what is wholly inside"],
  ["Pack here", "A rectangle, with Shift a shape; Alt scales the islands to fill it"],
  [
    "Arrows in the object list",
    "Next row, unfold and fold; Space selects, Enter shows, Shift+F10 opens its menu",
  ],
];

export function useShortcuts(
  acting: Acting,
  project: Project | undefined,
  atlas: Atlas | undefined,
) {
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      const typing =
        e.target instanceof HTMLInputElement ||
        e.target instanceof HTMLSelectElement ||
        e.target instanceof HTMLTextAreaElement;
      const id = commandFor(keyOf(e), useKeys.getState().changed);
      const inPanel = e.target instanceof Element && !!e.target.closest("[aria-label=Task]");
      // In a field keys are text, but for those that lead elsewhere, and in the panel's own its main button.
      const leads =
        (e.ctrlKey || e.metaKey || e.altKey) &&
        (/^(palette|go-to-)/.test(id ?? "") || (id === "main-button" && inPanel));
      if ((typing && !leads) || e.defaultPrevented) return;
      const ui = useUi.getState();
      // A try is only looked at.
      if (useLooked.getState().draft) {
        if (e.key === "Escape") useLooked.getState().end();
        return;
      }
      if (e.key === "Escape") {
        if (ui.steps) ui.setSteps(false);
        else if (!ui.help) {
          editor.showFinding(null);
          editor.select((s) => s.clear());
        }
        return e.preventDefault();
      }
      if (!id || !project || !atlas || ui.help) return;
      const command = allCommands(editor, acting, project, atlas).find((c) => c.id === id);
      if (!command) return;
      e.preventDefault();
      if (command.lacks) ui.tell({ kind: "done", what: `${command.label}: ${command.lacks}` });
      else command.run();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [acting, project, atlas]);
}

/** All keys; those of commands can be changed. */
export function Shortcuts(props: { project: Project; atlas: Atlas }) {
  const { help, setHelp } = useUi();
  return help ? <Sheet {...props} close={() => setHelp(false)} /> : null;
}

function Sheet({
  project,
  atlas,
  close: end,
}: {
  project: Project;
  atlas: Atlas;
  close: () => void;
}) {
  const editor = useEditor();
  const acting = useActing();
  const { changed, set, reset } = useKeys();
  const [asked, setAsked] = useState("");
  const [sought, setSought] = useState("");
  const keysOfAll = keysOf(changed);
  const commands = allCommands(editor, acting, project, atlas);
  // Those with a key, or all that are sought.
  const rows = sought.trim()
    ? matching(commands, sought)
    : Object.keys(keysOfAll).flatMap((id) => commands.find((c) => c.id === id) ?? []);
  const take = (command: string, e: React.KeyboardEvent) => {
    if (asked !== command) return;
    const key = keyOf(e.nativeEvent);
    if (!key) return;
    e.preventDefault();
    e.stopPropagation();
    if (key !== "Escape" && key !== "Tab") set(command, key === "Delete" ? "" : key);
    setAsked("");
  };
  return (
    <Dialog.Root
      open
      onOpenChange={(e) => {
        if (!e.open) end();
      }}
      size="md"
      scrollBehavior="inside"
      closeOnEscape={!asked}
    >
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content bg="panel">
            <Dialog.Header pb="1">
              <Dialog.Title fontFamily="heading">Shortcuts</Dialog.Title>
            </Dialog.Header>
            <Dialog.Body tabIndex={0} aria-label="Shortcuts">
              <Flex justify="space-between" align="center" mb="2" gap="3">
                <Text color="soft">
                  Press a key’s button, then the new key; Delete takes it away. They are kept in
                  this browser.
                </Text>
                <Button
                  size="2xs"
                  variant="outline"
                  borderColor="line"
                  onClick={reset}
                  disabled={!Object.keys(changed).length}
                >
                  Reset all
                </Button>
              </Flex>
              <Input
                size="xs"
                mb="2"
                placeholder="Find a command that shall have a key"
                aria-label="Find a command"
                value={sought}
                onChange={(e) => setSought(e.target.value)}
              />
              <Table.Root size="sm">
                <Table.Body>
                  {!sought.trim() &&
                    POINTER.map(([keys, what]) => (
                      <Table.Row key={keys} bg="transparent">
                        <Table.Cell fontWeight="600" w="190px">
                          {keys}
                        </Table.Cell>
                        <Table.Cell>{what}</Table.Cell>
                      </Table.Row>
                    ))}
                  {rows.map(({ id: command, label }) => {
                    const keys = keysOfAll[command] ?? "";
                    return (
                      <Table.Row key={command} bg="transparent">
                        <Table.Cell w="190px">
                          <Button
                            size="2xs"
                            variant="outline"
                            borderColor={asked === command ? "petrol" : "line"}
                            minW="64px"
                            aria-label={
                              asked === command
                                ? `Press the new key for ${label}`
                                : `Change the key of ${label}: ${keys ? shownKeys(keys) : "none"}`
                            }
                            onClick={() => setAsked(command)}
                            onKeyDown={(e) => take(command, e)}
                            onBlur={() => setAsked("")}
                          >
                            {asked === command ? "press a key" : keys ? shownKeys(keys) : "none"}
                          </Button>
                        </Table.Cell>
                        <Table.Cell>{label}</Table.Cell>
                      </Table.Row>
                    );
                  })}
                </Table.Body>
              </Table.Root>
            </Dialog.Body>
            <Dialog.CloseTrigger asChild>
              <CloseButton size="sm" />
            </Dialog.CloseTrigger>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  );
}
