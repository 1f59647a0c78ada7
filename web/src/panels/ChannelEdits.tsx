import { Box, Button, Flex, NativeSelect, Text } from "@chakra-ui/react";
import { Plus, X } from "lucide-react";
import { useShelf } from "../api/merge";
import type { Atlas } from "../api/client";
import { useKept } from "../state";
import { editText, type ChannelEdit } from "./channelEdits";

const KINDS = { copy: "copy", move: "move", swap: "swap", delete: "delete" } as const;
const JOINT = { copy: "to", move: "to", swap: "with", delete: "" } as const;
const MOST = 8;

function useKeptEdits(): [ChannelEdit[], (edits: ChannelEdit[]) => void] {
  return useKept<ChannelEdit[]>("channel edits", []);
}

/** Edits of the UV channels of all files that are written, in order, as the server takes them. */
export function useChannelEdits(): string[] {
  return useKeptEdits()[0].map(editText);
}

/** What each UV channel is used for, and what is done with them at the end, in all files. */
export function ChannelEdits({ atlas }: { atlas: Atlas }) {
  const [edits, keep] = useKeptEdits();
  const shelf = useShelf(atlas, 2048);
  const change = (at: number, some: Partial<ChannelEdit>) =>
    keep(edits.map((edit, k) => (k === at ? fitting({ ...edit, ...some }) : edit)));
  const readers = new Map<number, Set<string>>();
  for (const row of shelf.data?.materials ?? [])
    for (const texture of row.textures)
      readers.set(texture.channel, (readers.get(texture.channel) ?? new Set()).add(row.name));
  return (
    <Box mt="3" data-testid="channel-edits">
      <Text fontWeight="650">UV channels in the files</Text>
      <Text color="soft" fontSize="12px" mb="1">
        At the end, in all files, in this order; materials go on reading what they read.
      </Text>
      {[...readers]
        .sort(([a], [b]) => a - b)
        .map(([channel, names]) => (
          <Text key={channel} fontSize="12px">
            Channel {channel + 1}: read by{" "}
            {names.size === 1 ? [...names][0] : `${names.size} materials`}
          </Text>
        ))}
      {edits.map((edit, k) => (
        <Flex key={k} gap="1" align="center" mt="1">
          <Pick
            label={`Edit ${k + 1}`}
            value={edit.kind}
            options={KINDS}
            onChange={(kind) => change(k, { kind: kind as ChannelEdit["kind"] })}
          />
          <Pick
            label={`First channel of edit ${k + 1}`}
            narrow
            value={String(edit.one)}
            options={numbers}
            onChange={(one) => change(k, { one: Number(one) })}
          />
          {edit.kind !== "delete" && (
            <>
              <Text fontSize="12px" color="soft">
                {JOINT[edit.kind]}
              </Text>
              <Pick
                label={`Second channel of edit ${k + 1}`}
                narrow
                value={String(edit.two)}
                options={numbers}
                onChange={(two) => change(k, { two: Number(two) })}
              />
            </>
          )}
          <Button
            size="2xs"
            px="1"
            variant="ghost"
            ms="auto"
            aria-label={`Take edit ${k + 1} away`}
            onClick={() => keep(edits.filter((_, n) => n !== k))}
          >
            <X size={12} />
          </Button>
        </Flex>
      ))}
      <Button
        mt="1.5"
        size="2xs"
        variant="outline"
        borderColor="line"
        disabled={edits.length >= 8}
        onClick={() => keep([...edits, { kind: "copy", one: 1, two: 2 }])}
      >
        <Plus size={12} /> An edit
      </Button>
    </Box>
  );
}

const numbers = Object.fromEntries(Array.from({ length: MOST }, (_, k) => [k + 1, String(k + 1)]));

/** Two channels are never the same one. */
function fitting(edit: ChannelEdit): ChannelEdit {
  if (edit.kind === "delete") return { ...edit, two: 0 };
  const two = edit.two || 2;
  return { ...edit, two: two === edit.one ? (edit.one === 1 ? 2 : 1) : two };
}

function Pick({
  label,
  value,
  options,
  narrow,
  onChange,
}: {
  label: string;
  value: string;
  options: Record<string, string>;
  narrow?: boolean;
  onChange: (value: string) => void;
}) {
  return (
    <NativeSelect.Root size="xs" w={narrow ? "50px" : "76px"}>
      <NativeSelect.Field
        px="1.5"
        h="22px"
        aria-label={label}
        value={value}
        onChange={(e) => onChange(e.target.value)}
      >
        {Object.entries(options).map(([key, text]) => (
          <option key={key} value={key}>
            {text}
          </option>
        ))}
      </NativeSelect.Field>
      <NativeSelect.Indicator />
    </NativeSelect.Root>
  );
}
