import { Box, Dialog, Flex, Input, Portal, Text } from "@chakra-ui/react";
import { useEffect, useState } from "react";
import type { Atlas, Project } from "../api/client";
import { useEditor, type Actions } from "../api/hooks";
import { allCommands, matching } from "../commands";
import { keysOf, shownKeys, useKeys } from "../shortcuts";
import { useUi } from "../state";

/** Everything by name: type a few letters, choose with the arrows, Enter does it. */
export function Palette({
  actions,
  project,
  atlas,
}: {
  actions: Actions;
  project: Project;
  atlas: Atlas;
}) {
  const editor = useEditor("document", "selection", "view");
  const { palette, setPalette } = useUi();
  const keys = keysOf(useKeys().changed);
  const [typed, setTyped] = useState("");
  const [at, setAt] = useState(0);
  useEffect(() => {
    setTyped("");
    setAt(0);
  }, [palette]);
  if (!palette) return null;
  const found = matching(allCommands(editor, actions, project, atlas), typed);
  const here = Math.min(at, Math.max(found.length - 1, 0));
  const run = (index: number) => {
    setPalette(false);
    found[index]?.run();
  };
  return (
    <Dialog.Root open={palette} onOpenChange={(e) => setPalette(e.open)} placement="top" size="sm">
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content bg="panel" p="2">
            <Dialog.Title srOnly>Commands</Dialog.Title>
            <Input
              autoFocus
              size="sm"
              placeholder="What do you want to do?"
              aria-label="Command"
              value={typed}
              onChange={(e) => {
                setTyped(e.target.value);
                setAt(0);
              }}
              onKeyDown={(e) => {
                if (e.key === "ArrowDown") setAt(Math.min(here + 1, found.length - 1));
                else if (e.key === "ArrowUp") setAt(Math.max(here - 1, 0));
                else if (e.key === "Enter") run(here);
                else return;
                e.preventDefault();
              }}
            />
            <Box
              maxH="340px"
              overflowY="auto"
              mt="2"
              role="listbox"
              tabIndex={0}
              aria-label="Commands"
            >
              {found.map((command, i) => (
                <Flex
                  key={command.name}
                  role="option"
                  aria-selected={i === here}
                  px="2"
                  py="1"
                  rounded="sm"
                  gap="2"
                  bg={i === here ? "straw/45" : undefined}
                  cursor="pointer"
                  ref={(el: HTMLDivElement | null) => {
                    if (i === here) el?.scrollIntoView({ block: "nearest" });
                  }}
                  onMouseMove={() => setAt(i)}
                  onClick={() => run(i)}
                >
                  <Text fontWeight="500">
                    {command.on ? `Take off: ${command.name}` : command.name}
                  </Text>
                  <Text color="soft" truncate>
                    {command.hint}
                  </Text>
                  <Text color="soft" ml="auto" flexShrink="0">
                    {keys[command.name] ? shownKeys(keys[command.name]) : command.group}
                  </Text>
                </Flex>
              ))}
              {!found.length && (
                <Text color="soft" p="2">
                  Nothing by that name can be done now.
                </Text>
              )}
            </Box>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  );
}
