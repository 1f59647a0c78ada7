import { useAction } from "../api/actions/act";
import { Box, Button, Flex, NativeSelect, Text } from "@chakra-ui/react";
import { useState } from "react";
import type { Atlas, Project } from "../api/client";
import { useEditor } from "../api/hooks";
import { useUi } from "../state";

/** The UV channel that objects are laid out from, and the one that is written; shown when there is a choice. */
export function ChannelPart({ project, atlas }: { project: Project; atlas: Atlas }) {
  const channelAction = useAction("channel");
  const editor = useEditor("document", "selection");
  const all = editor.document.info?.objects ?? [];
  const picked = new Set(editor.selection.list().map((i) => editor.document.objectOf(i)?.id));
  const objects = picked.size ? all.filter((o) => picked.has(o.id)) : all;
  const most = Math.max(0, ...objects.map((o) => o.channels.length));
  if (
    !atlas.objects ||
    most === 0 ||
    (most === 1 && objects.every((o) => o.file.toLowerCase().endsWith(".obj")))
  )
    return null;
  const able = (channel: number) => objects.filter((o) => o.channels.length > channel);
  const sources = new Set(objects.map((o) => o.channel));
  const targets = new Set(objects.map((o) => o.target));
  const set = (source: number, target: number) => {
    const chosen = able(source).map((o) => o.id);
    if (chosen.length) channelAction.run({ objects: chosen, source, target });
  };
  const source = sources.size === 1 ? [...sources][0] : -1;
  const target = targets.size === 1 ? [...targets][0] : -1;
  return (
    <Box mt="3" pt="2" borderTopWidth="1.5px" borderTopStyle="dashed" borderColor="line">
      <Text fontWeight="650">UV channels</Text>
      <Text color="soft" fontSize="12px" mb="1">
        Of{" "}
        {picked.size
          ? objects.length === 1
            ? "the selected object"
            : `the ${objects.length} selected objects`
          : "all objects of this atlas"}
        . Written into a new channel, the old layout survives.
      </Text>
      <Select
        label="Laid out from"
        value={source}
        count={most}
        note={(k) =>
          able(k).length < objects.length ? ` (${able(k).length} of ${objects.length})` : ""
        }
        onChange={(k) => set(k, target < 0 || target === source ? k : target)}
      />
      <Select
        label="Written to"
        value={target}
        count={most + 1}
        note={(k) => (k === most ? " (new)" : "")}
        onChange={(k) => set(source < 0 ? 0 : source, k)}
      />
      <OnceMore project={project} objects={objects.map((o) => o.id)} />
    </Box>
  );
}

const SIZES = [128, 256, 512, 1024, 2048];

/** Objects laid out once more in a UV channel of their own, for baked light. */
function OnceMore({ project, objects }: { project: Project; objects: number[] }) {
  const newAtlas = useAction("new-atlas");
  const goTo = useUi((ui) => ui.goToAtlas);
  const [size, setSize] = useState(512);
  const names = project.atlases.map((tab) => tab.name);
  const name = names.includes("light")
    ? `light ${names.filter((one) => one.startsWith("light")).length + 1}`
    : "light";
  return (
    <>
      <Text color="soft" fontSize="12px" mt="2" mb="1">
        For baked light: laid out once more in the first UV channel that none of them has, in an
        atlas of its own. Pack it there; what they have stays.
      </Text>
      <Flex align="center" justify="space-between" gap="2">
        <NativeSelect.Root size="xs" w="104px">
          <NativeSelect.Field
            aria-label="Size of the tile for light"
            value={size}
            onChange={(e) => setSize(Number(e.target.value))}
          >
            {SIZES.map((one) => (
              <option key={one} value={one}>
                {one} px
              </option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
        <Button
          size="xs"
          variant="outline"
          borderColor="petrol"
          color="petrol"
          flex="1"
          disabled={newAtlas.busy}
          onClick={() =>
            newAtlas.run({ name, objects, again: true, size }, ({ atlas: made }) => {
              goTo(made);
              useUi.getState().setStage("Arrange");
            })
          }
        >
          Lay out for light
        </Button>
      </Flex>
    </>
  );
}

type SelectProps = {
  label: string;
  value: number;
  count: number;
  note: (channel: number) => string;
  onChange: (channel: number) => void;
};

function Select({ label, value, count, note, onChange }: SelectProps) {
  return (
    <Flex align="center" justify="space-between" mb="1.5">
      <Text>{label}</Text>
      <NativeSelect.Root size="xs" w="110px">
        <NativeSelect.Field
          aria-label={label}
          value={value < 0 ? "" : value}
          onChange={(e) => onChange(Number(e.target.value))}
        >
          {value < 0 && <option value="">different</option>}
          {Array.from({ length: count }, (_, k) => (
            <option key={k} value={k}>
              {k + 1}
              {note(k)}
            </option>
          ))}
        </NativeSelect.Field>
        <NativeSelect.Indicator />
      </NativeSelect.Root>
    </Flex>
  );
}
