import { Box, Dialog, Flex, Input, Portal, Text } from "@chakra-ui/react";
import { useEffect, useMemo, useState } from "react";
import { useActing } from "../api/actions/act";
import { useOperations } from "../api/operations";
import type { Atlas, Project } from "../api/client";
import { Drawing } from "../drawings/Drawing";
import { useEditor } from "../api/hooks";
import { useShelf } from "../api/merge";
import { allCommands } from "../commands/all";
import { findCommands } from "../commands/find";
import { matching } from "../commands/matching";
import { operationCommands, settingCommands } from "../commands/operations";
import { SYNONYMS } from "../commands/synonyms";
import { keysOf, shownKeys, useKeys } from "../shortcuts";
import { useUi } from "../state";

const MOST_SHOWN = 60;

/** Everything by name: type a few letters, choose with the arrows, Enter does it. */
export function Palette({ project, atlas }: { project: Project; atlas: Atlas }) {
  const editor = useEditor("document", "selection", "view", "figures");
  const { palette, setPalette } = useUi();
  const acting = useActing();
  const operations = useOperations();
  const synonyms = useMemo(
    () => ({
      ...SYNONYMS,
      ...Object.fromEntries(operations.map((o) => [`operation-${o.name}`, o.synonyms.join(" ")])),
    }),
    [operations],
  );
  const keys = keysOf(useKeys().changed);
  const [typed, setTyped] = useState("");
  const [at, setAt] = useState(0);
  useEffect(() => {
    setTyped("");
    setAt(0);
  }, [palette]);
  const shelf = useShelf(atlas, 2048, palette).data;
  if (!palette) return null;
  const found = matching(
    [
      ...allCommands(editor, acting, project, atlas),
      ...operationCommands(operations),
      ...settingCommands(operations),
      ...findCommands(editor, project, atlas, shelf),
    ],
    typed,
    synonyms,
  ).slice(0, MOST_SHOWN);
  const here = Math.min(at, Math.max(found.length - 1, 0));
  const run = (index: number) => {
    if (found[index]?.lacks) return;
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
                  key={command.id}
                  role="option"
                  aria-selected={i === here}
                  aria-disabled={command.lacks !== "" || undefined}
                  px="2"
                  py="1"
                  rounded="sm"
                  gap="2"
                  bg={i === here ? "straw/45" : undefined}
                  cursor={command.lacks ? "default" : "pointer"}
                  ref={(el: HTMLDivElement | null) => {
                    if (i === here) el?.scrollIntoView({ block: "nearest" });
                  }}
                  onMouseMove={() => setAt(i)}
                  onClick={() => run(i)}
                >
                  <Box w="47px" flexShrink="0" display="flex" justifyContent="center">
                    <Drawing of={command.id} height={16} />
                  </Box>
                  <Text fontWeight="500" flexShrink="0" color={command.lacks ? "soft" : undefined}>
                    {command.on ? `Take off: ${command.label}` : command.label}
                  </Text>
                  <Text color="soft" truncate>
                    {command.lacks || command.hint}
                  </Text>
                  <Text color="soft" ml="auto" flexShrink="0">
                    {keys[command.id] ? shownKeys(keys[command.id]) : command.group}
                  </Text>
                </Flex>
              ))}
              {!found.length && (
                <Text color="soft" p="2">
                  Nothing is called so: neither a command nor a setting, object, tile, material or
                  finding.
                </Text>
              )}
            </Box>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  );
}
