import { useActing, useAction } from "../api/actions/act";
import { Box, Button, Flex, Input, Popover, Portal, Text } from "@chakra-ui/react";
import { useState } from "react";
import { useEditor } from "../api/hooks";
import { toolCommands, TOOLS } from "../commands/view";
import type { Command } from "../commands/command";
import { Drawing } from "../drawings/Drawing";
import { handCommands } from "../commands/hand";
import { shrinkBy, tileInSight } from "../commands/room";
import { typed } from "../editor/tools/numbers";
import { keysOf, shownKeys, useKeys } from "../shortcuts";

/** Commands that have a place on the toolbar, by their ids, with their short names there. */
const DONE = {
  "slide-down": "Slide",
  "fit-into-gaps": "Fit into gaps",
  "make-room": "Make room",
  "next-from-side-table": "Next",
};

/** Tools on straw, at the left of the table: what is in the hand, and what is done at once to what is selected. */
export function Toolbar() {
  const editor = useEditor("tools", "selection", "document", "figures");
  const keys = keysOf(useKeys().changed);
  const title = ({ id, label, hint = "", lacks }: Omit<Command, "group" | "run">) =>
    `${label}: ${lacks || hint}${keys[id] ? ` (${shownKeys(keys[id])})` : ""}`;
  const hand = handCommands(editor, useActing());
  return (
    <Box
      data-over-table
      role="toolbar"
      aria-label="Tools"
      aria-orientation="vertical"
      position="absolute"
      left="6px"
      top="26px"
      w="108px"
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
            key={command.id}
            of={command.id}
            name={command.label}
            title={title(command)}
            on={on}
            enabled={!command.lacks}
            run={command.run}
          />
        );
      })}
      <Box h="1px" bg="ink/25" my="3px" mx="4px" />
      {Object.entries(DONE).map(([id, name]) => {
        const command = hand.find((c) => c.id === id)!;
        return (
          <Tool
            key={id}
            of={id}
            name={name}
            title={title(command)}
            enabled={!command.lacks}
            run={command.run}
          />
        );
      })}
      <ShrinkToFit
        title={title({
          id: "shrink-to-fit",
          label: "Shrink to fit",
          hint: "shrink all islands of a tile together",
          lacks: "",
        })}
      />
    </Box>
  );
}

function Tool({
  of,
  name,
  title,
  on,
  enabled,
  run,
}: {
  /** What its drawing shows. */
  of: string;
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
      gap="1.5"
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
      <Drawing of={of} height={16} />
      {name}
    </Button>
  );
}

/** All islands of a tile by a percentage, or until the gaps are right. */
function ShrinkToFit({ title }: { title: string }) {
  const shrinkToFitAction = useAction("shrink-to-fit");
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
          gap="1.5"
          justifyContent="flex-start"
          fontSize="11.5px"
          fontWeight="600"
          color="ink"
          _hover={{ bg: "straw" }}
          title={title}
        >
          <Drawing of="shrink-to-fit" height={16} />
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
              disabled={shrinkToFitAction.busy}
              onClick={() => {
                setOpen(false);
                shrinkToFitAction.run(editor.selection.list());
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
