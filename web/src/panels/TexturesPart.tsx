import { useAction } from "../api/actions/act";
import { Box, Button, Flex, Input, Link, Text } from "@chakra-ui/react";
import { useId } from "react";
import type { Atlas, Job, TexturesRequest } from "../api/client";
import { useKept } from "../state";
import { Pick, Row } from "./merge/fields";
import { GOOD_NAME } from "./merge/settings";
import { Check, NumberField, Running, running } from "./parts";

type Kept = Required<Omit<TexturesRequest, "change" | "naming" | "numbered">> & {
  numbered: boolean;
};
type Kind = Kept["kinds"][number];

const KINDS: [Kind, string][] = [
  ["layout", "the layout, as drawn"],
  ["template", "a template: edges of faces, clear ground"],
  ["vectors", "the template as vectors (SVG)"],
  ["layers", "a layer for each, one file a tile (OpenRaster)"],
  ["id", "ids, one flat colour each"],
  ["checker", "a checker, squares of 128 px"],
  ["blank", "one colour"],
];
const USUAL: Kept = {
  kinds: ["layers"],
  by: "object",
  colour: "#808080",
  channels: "rgb",
  bits: 8,
  line: 1,
  labels: false,
  name: "set",
  numbered: false,
};

/** Image sets: an image of each kind for each tile, at its own resolution, numbered by tile. */
export function TexturesPart({ atlas, jobs }: { atlas: Atlas; jobs: Job[] }) {
  const texturesAction = useAction("textures");
  const [kept, keep] = useKept<Kept>("texture set", USUAL);
  const id = useId();
  const change = (some: Partial<Kept>) => keep({ ...kept, ...some });
  const tiles = (atlas.head.tiles as unknown[]).length;
  const done = jobs.find(
    (job) => job.kind === "textures" && job.state === "done" && job.atlas === atlas.id,
  );
  const images = (done?.result as { textures?: unknown[] } | undefined)?.textures?.length ?? 0;
  const told = kept.kinds.includes("id") || kept.kinds.includes("layers");
  return (
    <Box mt="3" data-testid="texture-set">
      <Text fontWeight="650" mb="1">
        Textures
      </Text>
      <Text color="soft" fontSize="12px" mb="1.5">
        A texture for {tiles === 1 ? "the tile" : `each of the ${tiles} tiles`}, at its own size.
        Layers lie over the colour that was merged last.
      </Text>
      {KINDS.map(([kind, label]) => (
        <Check
          key={kind}
          label={label}
          value={kept.kinds.includes(kind)}
          onChange={(on) =>
            change({
              kinds: KINDS.map(([k]) => k).filter((k) =>
                k === kind ? on : kept.kinds.includes(k),
              ),
            })
          }
        />
      ))}
      {told && (
        <Row label="Separate by" id={`${id}b`}>
          <Pick
            id={`${id}b`}
            value={kept.by}
            options={{ object: "objects", island: "islands", material: "materials" }}
            onChange={(v) => change({ by: v as Kept["by"] })}
          />
        </Row>
      )}
      {(kept.kinds.includes("template") || kept.kinds.includes("vectors")) && (
        <>
          <NumberField
            label="Edges"
            unit="px wide"
            value={kept.line ?? 1}
            min={0.25}
            max={64}
            step={0.25}
            onChange={(line) => change({ line })}
          />
          <Check
            label="Names of objects"
            value={kept.labels ?? false}
            onChange={(labels) => change({ labels })}
          />
        </>
      )}
      {kept.kinds.includes("blank") && (
        <>
          <Row label="Colour" id={`${id}c`}>
            <Input
              id={`${id}c`}
              type="color"
              size="xs"
              w="60px"
              p="1"
              value={kept.colour}
              onChange={(e) => change({ colour: e.target.value })}
            />
          </Row>
          <Row label="Channels" id={`${id}h`}>
            <Pick
              id={`${id}h`}
              value={kept.channels ?? "rgb"}
              options={{ grey: "grey", rgb: "red, green, blue", rgba: "with alpha" }}
              onChange={(v) => change({ channels: v as Kept["channels"] })}
            />
          </Row>
          <Row label="Bits a channel" id={`${id}i`}>
            <Pick
              id={`${id}i`}
              value={String(kept.bits)}
              options={{ 8: "8", 16: "16" }}
              onChange={(v) => change({ bits: Number(v) as Kept["bits"] })}
            />
          </Row>
        </>
      )}
      <Row label="Name" id={`${id}n`}>
        <Input
          id={`${id}n`}
          size="xs"
          w="150px"
          value={kept.name}
          aria-invalid={!GOOD_NAME.test(kept.name)}
          onChange={(e) => change({ name: e.target.value })}
        />
      </Row>
      {tiles === 1 && (
        <Check
          label="Tile number in the name"
          value={kept.numbered}
          onChange={(numbered) => change({ numbered })}
        />
      )}
      <Flex gap="2">
        <Button
          flex="1"
          size="xs"
          variant="outline"
          borderColor="petrol"
          color="petrol"
          disabled={!kept.kinds.length || !GOOD_NAME.test(kept.name) || running(jobs, "textures")}
          loading={texturesAction.busy}
          onClick={() => texturesAction.run({ ...kept, naming: "{name}_{role}" })}
        >
          Draw
        </Button>
        {done && (
          <Button asChild flex="1" size="xs" variant="outline" borderColor="line">
            <Link href={`/api/jobs/${done.id}/download/`} download>
              {images} as zip
            </Link>
          </Button>
        )}
      </Flex>
      <Running jobs={jobs} kind="textures" />
    </Box>
  );
}
