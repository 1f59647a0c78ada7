import { useActing, useAction } from "../api/actions/act";
import { Box, Button, Flex, Text } from "@chakra-ui/react";
import { useEditor } from "../api/hooks";
import type { Command } from "../commands/command";
import { islandCommands } from "../commands/island";
import type { PanelProps } from "./props";
import * as format from "../format";
import { NumberField, Title } from "./parts";
import { SelectPart } from "./SelectPart";

/** What the packer may do with the selected islands. */
export function IslandsPart(props: PanelProps) {
  const controlAction = useAction("control");
  const editor = useEditor("document", "selection");
  const picked = editor.selection.list();
  const commands = islandCommands(editor, useActing());
  const weights = [...new Set(picked.map((i) => editor.document.info?.controls.weight[i] ?? 1))];
  const touched =
    editor.document.info?.controls.flags.flatMap((f, i) =>
      f ||
      editor.document.control(i).tile ||
      editor.document.control(i).bundle >= 0 ||
      editor.document.control(i).stack >= 0
        ? [i]
        : [],
    ) ?? [];
  const shown = (group: string, keep: (c: Command) => boolean) =>
    commands.filter((c) => c.group === group && keep(c));
  return (
    <>
      <Title
        note={
          picked.length
            ? `${format.whole(picked.length)} ${picked.length === 1 ? "island is" : "islands are"} selected. What is set here is kept, shown on the islands, and can be undone.`
            : "Select islands on the table, the model or in the object list."
        }
      >
        Islands
      </Title>
      <Box>
        {shown("Islands", (c) => c.on !== undefined).map((c) => (
          <Toggle key={c.id} command={c} />
        ))}
      </Box>
      <Flex wrap="wrap" gap="1" mt="2">
        {shown("Islands", (c) => c.on === undefined).map((c) => (
          <Button
            key={c.id}
            size="2xs"
            variant="outline"
            borderColor="line"
            title={c.lacks || c.hint}
            disabled={c.lacks !== ""}
            onClick={c.run}
          >
            {c.label}
          </Button>
        ))}
      </Flex>
      <Text mt="3" mb="1" fontWeight="600">
        Tile
      </Text>
      <Flex wrap="wrap" gap="1">
        {shown("Tiles", () => true).map((c) => (
          <Button
            key={c.id}
            size="2xs"
            variant="outline"
            borderColor="line"
            disabled={c.lacks !== ""}
            title={c.lacks}
            onClick={c.run}
            aria-label={c.label}
          >
            {c.label.replace("Send to tile ", "")}
          </Button>
        ))}
      </Flex>
      <Box mt="3">
        <NumberField
          label="Weight"
          unit="×"
          value={weights.length === 1 ? Number(weights[0].toPrecision(4)) : 1}
          min={0.01}
          max={100}
          step={0.25}
          onChange={(weight) => {
            if (picked.length) controlAction.run({ islands: picked, weight });
          }}
        />
        <Text color="soft" fontSize="12px">
          Even out gives these islands so many times the house density
          {weights.length > 1 ? "; they have different weights now" : ""}.
        </Text>
      </Box>
      {touched.length > 0 && (
        <Button
          size="2xs"
          variant="plain"
          px="0"
          color="petrol"
          mt="2"
          onClick={() => editor.select((s) => s.set(touched))}
        >
          Select all {touched.length} with a lock, tile, bundle or stack
        </Button>
      )}
      <SelectPart {...props} />
    </>
  );
}

function Toggle({ command }: { command: Command }) {
  return (
    <Button
      variant="ghost"
      size="xs"
      w="100%"
      h="27px"
      px="1.5"
      justifyContent="flex-start"
      gap="2"
      fontWeight="400"
      fontSize="13px"
      aria-pressed={command.on}
      disabled={command.lacks !== ""}
      title={command.lacks || command.hint}
      onClick={command.run}
    >
      <Box
        w="26px"
        h="14px"
        rounded="full"
        borderWidth="1.5px"
        borderColor={command.on ? "petrol" : "soft"}
        bg={command.on ? "petrol" : "transparent"}
        position="relative"
        flexShrink="0"
      >
        <Box
          position="absolute"
          top="1.5px"
          left={command.on ? "13px" : "2px"}
          w="8px"
          h="8px"
          rounded="full"
          bg={command.on ? "onPetrol" : "soft"}
        />
      </Box>
      {command.label}
    </Button>
  );
}
