import { Button, CloseButton, Dialog, Flex, Portal, Table, Text } from "@chakra-ui/react";
import { useEffect, useState } from "react";
import type { Atlas, Project } from "../api/client";
import type { Actions } from "../api/hooks";
import { allCommands } from "../commands";
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
  ["Lasso, brush", "Shift adds, Ctrl takes away"],
  ["Pack here", "A rectangle, with Shift a shape; Alt scales the islands to fill it"],
  [
    "Arrows in the object list",
    "Next row, unfold and fold; Space selects, Enter shows, Shift+F10 opens its menu",
  ],
];

export function useShortcuts(
  actions: Actions,
  project: Project | undefined,
  atlas: Atlas | undefined,
) {
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      const typing =
        e.target instanceof HTMLInputElement ||
        e.target instanceof HTMLSelectElement ||
        e.target instanceof HTMLTextAreaElement;
      if (typing || e.defaultPrevented) return;
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
      const name = commandFor(keyOf(e), useKeys.getState().changed);
      if (!name || !project || !atlas || ui.help) return;
      const command = allCommands(editor, actions, project, atlas).find((c) => c.name === name);
      if (!command) return;
      e.preventDefault();
      if (command.enabled) command.run();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [actions, project, atlas]);
}

/** All keys; those of commands can be changed. */
export function Shortcuts() {
  const { help, setHelp } = useUi();
  const { changed, set, reset } = useKeys();
  const [asked, setAsked] = useState("");
  const close = (open: boolean) => {
    setAsked("");
    setHelp(open);
  };
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
      open={help}
      onOpenChange={(e) => close(e.open)}
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
                  As at first
                </Button>
              </Flex>
              <Table.Root size="sm">
                <Table.Body>
                  {POINTER.map(([keys, what]) => (
                    <Table.Row key={keys} bg="transparent">
                      <Table.Cell fontWeight="600" w="190px">
                        {keys}
                      </Table.Cell>
                      <Table.Cell>{what}</Table.Cell>
                    </Table.Row>
                  ))}
                  {Object.entries(keysOf(changed)).map(([command, keys]) => (
                    <Table.Row key={command} bg="transparent">
                      <Table.Cell w="190px">
                        <Button
                          size="2xs"
                          variant="outline"
                          borderColor={asked === command ? "petrol" : "line"}
                          minW="64px"
                          aria-label={
                            asked === command
                              ? `Press the new key for ${command}`
                              : `Change the key of ${command}: ${keys ? shownKeys(keys) : "none"}`
                          }
                          onClick={() => setAsked(command)}
                          onKeyDown={(e) => take(command, e)}
                          onBlur={() => setAsked("")}
                        >
                          {asked === command ? "press a key" : keys ? shownKeys(keys) : "none"}
                        </Button>
                      </Table.Cell>
                      <Table.Cell>{command}</Table.Cell>
                    </Table.Row>
                  ))}
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
