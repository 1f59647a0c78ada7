import { Box, Button, Flex, Input, Popover, Portal, Text } from "@chakra-ui/react";
import { useState } from "react";
import type { Actions } from "../api/hooks";
import { useEditor } from "../api/hooks";
import { toolCommands, TOOLS } from "../commands";
import { handCommands, shrinkBy, tileInSight } from "../handCommands";
import { typed } from "../editor/tools/numbers";
import { keysOf, shownKeys, useKeys } from "../shortcuts";

/** Commands that have a place on the strip, by their names. */
const DONE = ["Slide down to contact", "Fit into gaps", "Make room", "Next from side table"];
const SHORT: Record<string, string> = {
  "Slide down to contact": "Slide",
  "Next from side table": "Next",
};

/** Tools on straw, at the left of the table: what is in the hand, and what is done at once to what is selected. */
export function Toolbar({ actions }: { actions: Actions }) {
  const editor = useEditor("tools", "selection", "document", "figures");
  const keys = keysOf(useKeys().changed);
  const title = (name: string, hint = "") =>
    `${name}${hint ? `: ${hint}` : ""}${keys[name] ? ` (${shownKeys(keys[name])})` : ""}`;
  const hand = handCommands(editor, actions);
  return (
    <Box
      data-over-table
      role="toolbar"
      aria-label="Tools"
      aria-orientation="vertical"
      position="absolute"
      left="6px"
      top="26px"
      w="82px"
      bg="straw/70"
      borderWidth="1px"
      borderColor="straw"
      rounded="md"
      p="3px"
      shadow="sm"
      onKeyDown={(e) => {
        const rows = [...e.currentTarget.querySelectorAll("button")];
        const at = rows.indexOf(document.activeElement as HTMLButtonElement);
        const next = e.key === "ArrowDown" ? at + 1 : e.key === "ArrowUp" ? at - 1 : -2;
        if (at < 0 || next === -2) return;
        e.preventDefault();
        e.stopPropagation();
        rows[(next + rows.length) % rows.length]?.focus();
      }}
    >
      {toolCommands(editor).map((command, k) => {
        const on = editor.tools.tool === TOOLS[k].tool;
        return (
          <Tool
            key={command.name}
            name={command.name}
            title={title(command.name, command.hint)}
            on={on}
            enabled={command.enabled}
            run={command.run}
          />
        );
      })}
      <Box h="1px" bg="ink/25" my="3px" mx="4px" />
      {DONE.map((name) => {
        const command = hand.find((c) => c.name === name)!;
        return (
          <Tool
            key={name}
            name={SHORT[name] ?? name}
            title={title(name, command.hint)}
            enabled={command.enabled}
            run={command.run}
          />
        );
      })}
      <ShrinkToFit
        actions={actions}
        title={title("Shrink to fit", "shrink all islands of a tile together")}
      />
    </Box>
  );
}

function Tool({
  name,
  title,
  on,
  enabled,
  run,
}: {
  name: string;
  title: string;
  on?: boolean;
  enabled: boolean;
  run: () => void;
}) {
  return (
    <Button
      size="2xs"
      variant="ghost"
      w="100%"
      h="26px"
      px="1"
      justifyContent="flex-start"
      fontSize="11.5px"
      fontWeight={on ? "700" : "600"}
      bg={on ? "ink" : "transparent"}
      color={on ? "panel" : "ink"}
      _hover={{ bg: on ? "ink" : "straw" }}
      aria-pressed={on}
      aria-disabled={!enabled || undefined}
      opacity={enabled ? 1 : 0.55}
      title={title}
      onClick={() => {
        if (enabled) run();
      }}
    >
      {name}
    </Button>
  );
}

/** All islands of a tile by a percentage, or until the gaps are right. */
function ShrinkToFit({ actions, title }: { actions: Actions; title: string }) {
  const editor = useEditor("selection");
  const [text, setText] = useState("1");
  const [open, setOpen] = useState(false);
  const tile = tileInSight(editor);
  const picked = editor.selection.size;
  const byPercent = () => {
    const percent = typed(text, 0);
    if (percent === null || percent >= 90 || percent <= -100) return;
    shrinkBy(editor, tile, percent);
    setOpen(false);
  };
  return (
    <Popover.Root
      open={open}
      onOpenChange={(e) => setOpen(e.open)}
      positioning={{ placement: "right-start" }}
      lazyMount
      unmountOnExit
    >
      <Popover.Trigger asChild>
        <Button
          size="2xs"
          variant="ghost"
          w="100%"
          h="26px"
          px="1"
          justifyContent="flex-start"
          fontSize="11.5px"
          fontWeight="600"
          color="ink"
          _hover={{ bg: "straw" }}
          title={title}
        >
          Shrink to fit
        </Button>
      </Popover.Trigger>
      <Portal>
        <Popover.Positioner>
          <Popover.Content bg="panel" w="232px" p="3" aria-label="Shrink to fit">
            <Flex
              as="form"
              gap="2"
              align="center"
              onSubmit={(e) => {
                e.preventDefault();
                byPercent();
              }}
            >
              <Input
                size="xs"
                w="56px"
                textAlign="right"
                value={text}
                aria-label="Percentage to shrink by, %"
                onChange={(e) => setText(e.target.value)}
              />
              <Text>%</Text>
              <Button size="xs" type="submit" variant="outline" borderColor="line" flex="1">
                All of tile {tile}
              </Button>
            </Flex>
            <Text color="soft" fontSize="12px" mt="1">
              Together, about the middle of the tile.
            </Text>
            <Button
              size="xs"
              mt="3"
              w="100%"
              bg="petrol"
              color="onPetrol"
              disabled={actions.shrinkToFit.isPending}
              onClick={() => {
                setOpen(false);
                actions.shrinkToFit.mutate(editor.selection.list());
              }}
            >
              Until the gaps are right
            </Button>
            <Text color="soft" fontSize="12px" mt="1">
              {picked
                ? `The ${picked} selected ${picked === 1 ? "island" : "islands"}`
                : "All islands in tiles"}
              , each about its own middle, by one factor.
            </Text>
          </Popover.Content>
        </Popover.Positioner>
      </Portal>
    </Popover.Root>
  );
}
