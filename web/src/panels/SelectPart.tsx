import * as format from "../format";
import { Box, Button, Flex, IconButton, Input, NativeSelect, Text } from "@chakra-ui/react";
import { X } from "lucide-react";
import { useState } from "react";
import { useEditor } from "../api/hooks";
import { islandsWhere, sizeOf } from "../editor/selection/finders";
import { savedSelections, saveSelection } from "../editor/selection/saved";
import { selectCommands } from "../commands/select";
import { useKept } from "../state";
import type { PanelProps } from "./props";

const CHIPS: Record<string, string> = {
  "select-object": "whole object",
  "select-material": "same material",
  "select-direction": "same direction",
  "select-group": "same group",
  "select-mirrored": "mirrored",
  "select-crooked": "crooked",
  "select-overlapping": "overlapping",
  "select-outside": "outside",
  "select-side-table": "side table",
  "select-locked": "locked",
  "select-touching": "grow",
  "select-inner": "shrink",
  hide: "hide",
  "hide-others": "only these",
  "show-all": "show all",
};

const RANGES = ["size", "side", "density"] as const;
type Range = (typeof RANGES)[number];
const rangeWords = (range: Range) =>
  range === "size"
    ? "size, px²"
    : range === "side"
      ? "longer side, px"
      : `density, ${format.densityUnit()}`;

/** Picking islands by what they are, and selections with a name. */
export function SelectPart({ project }: PanelProps) {
  const editor = useEditor("document", "selection", "figures");
  const [by, setBy] = useKept<Range>("select by", "size");
  const [least, setLeast] = useKept("select least", "");
  const [most, setMost] = useKept("select most", "");
  const commands = selectCommands(editor, project);
  const value = (island: number): number => {
    if (by === "density") return format.inDensityUnit(editor.document.density(island) ?? NaN);
    if (by === "size") return sizeOf(editor, island);
    const { model, map } = editor.document;
    const b = model!.bounds[island];
    return Math.max(b.maxX - b.minX, b.maxY - b.minY) * map.pxPerUnit(model!.homes[island]);
  };
  const pick = () => {
    const [low, high] = [
      least.trim() ? Number(least) : -Infinity,
      most.trim() ? Number(most) : Infinity,
    ];
    editor.select((s) =>
      s.set(islandsWhere(editor, (island) => value(island) >= low && value(island) <= high)),
    );
  };
  const bad = [least, most].some((text) => text.trim() !== "" && !Number.isFinite(Number(text)));
  return (
    <Box mt="4" pt="3" borderTopWidth="1.5px" borderTopStyle="dashed" borderColor="line">
      <Text as="h3" fontWeight="600" mb="1">
        Select by what they are
      </Text>
      <Flex wrap="wrap" gap="1">
        {Object.entries(CHIPS).flatMap(([id, word]) => {
          const command = commands.find((c) => c.id === id);
          return command
            ? [
                <Button
                  key={id}
                  size="2xs"
                  variant="outline"
                  borderColor="line"
                  disabled={command.lacks !== ""}
                  title={command.lacks || command.hint || command.label}
                  onClick={command.run}
                >
                  {word}
                </Button>,
              ]
            : [];
        })}
      </Flex>
      <Flex
        as="form"
        gap="1"
        mt="2"
        align="center"
        onSubmit={(e) => {
          e.preventDefault();
          if (!bad) pick();
        }}
      >
        <NativeSelect.Root size="xs" w="104px">
          <NativeSelect.Field
            px="1.5"
            aria-label="Range of"
            value={by}
            onChange={(e) => setBy(e.target.value as Range)}
          >
            {RANGES.map((key) => (
              <option key={key} value={key}>
                {rangeWords(key)}
              </option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
        <Input
          size="xs"
          w="44px"
          px="1"
          textAlign="right"
          placeholder="from"
          aria-label="At least"
          value={least}
          onChange={(e) => setLeast(e.target.value)}
        />
        <Input
          size="xs"
          w="44px"
          px="1"
          textAlign="right"
          placeholder="to"
          aria-label="At most"
          value={most}
          onChange={(e) => setMost(e.target.value)}
        />
        <Button
          size="2xs"
          type="submit"
          variant="outline"
          borderColor="line"
          disabled={bad}
          px="1.5"
        >
          Select
        </Button>
      </Flex>
      {bad && (
        <Text color="rose" fontSize="12px">
          Type numbers, or leave one empty.
        </Text>
      )}
      <Saved project={project.id} />
    </Box>
  );
}

/** Selections with a name; a click selects one again. */
function Saved({ project }: { project: number }) {
  const editor = useEditor("selection");
  const [name, setName] = useState("");
  const [, again] = useState(0);
  const rows = savedSelections(project);
  const save = (called: string, keys: string[]) => {
    saveSelection(project, called, keys);
    again((n) => n + 1);
  };
  return (
    <>
      <Flex
        as="form"
        gap="1"
        mt="3"
        onSubmit={(e) => {
          e.preventDefault();
          save(
            name.trim(),
            editor.selection.list().map((i) => editor.document.keyOf(i)),
          );
          setName("");
        }}
      >
        <Input
          size="xs"
          flex="1"
          placeholder="Name of this selection"
          aria-label="Name of this selection"
          value={name}
          maxLength={60}
          onChange={(e) => setName(e.target.value)}
        />
        <Button
          size="2xs"
          type="submit"
          variant="outline"
          borderColor="line"
          h="32px"
          disabled={!name.trim() || !editor.selection.size}
        >
          Save
        </Button>
      </Flex>
      {rows.map((row) => (
        <Flex key={row.name} align="center" mt="1">
          <Button
            flex="1"
            size="2xs"
            h="26px"
            variant="ghost"
            justifyContent="space-between"
            fontWeight="400"
            onClick={() => editor.select((s) => s.set(editor.document.withKeys(new Set(row.keys))))}
          >
            <Text as="span" truncate>
              {row.name}
            </Text>
            <Text as="span" color="soft">
              {row.keys.length}
            </Text>
          </Button>
          <IconButton
            size="2xs"
            variant="ghost"
            aria-label={`Forget ${row.name}`}
            title="Forget this selection"
            onClick={() => save(row.name, [])}
          >
            <X size={13} />
          </IconButton>
        </Flex>
      ))}
    </>
  );
}
