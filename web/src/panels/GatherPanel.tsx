import { useAction } from "../api/actions/act";
import { Box, Button, Flex, Input, NativeSelect, Text } from "@chakra-ui/react";
import { useRef, useState } from "react";
import { AT_A_CLICK, useEditor, useLooseObjects } from "../api/hooks";
import type { Atlas, Job, UpdateResult } from "../api/client";
import type { PanelProps } from "./props";
import * as format from "../format";
import { ChannelPart } from "./ChannelPart";
import { useUi } from "../state";
import { lacksLayout } from "./lacksLayout";
import { MainButton, NumberField, Running, running, Title } from "./parts";
import { WatchPart } from "./WatchPart";

const UNITS = [
  ["1", "metre"],
  ["0.01", "centimetre"],
  ["0.001", "millimetre"],
  ["0.0254", "inch"],
  ["0.3048", "foot"],
];

/** The unit that OBJ files are taken to be in, as metres. */
export function UnitSelect({ unit, setUnit }: { unit: string; setUnit: (unit: string) => void }) {
  return (
    <NativeSelect.Root size="xs">
      <NativeSelect.Field
        aria-label="Unit of OBJ files"
        value={unit}
        onChange={(e) => setUnit(e.target.value)}
      >
        {UNITS.map(([value, name]) => (
          <option key={value} value={value}>
            {name}
          </option>
        ))}
      </NativeSelect.Field>
      <NativeSelect.Indicator />
    </NativeSelect.Root>
  );
}

/** The button that files are chosen with. */
export function BringIn({ send }: { send: (files: File[]) => Promise<void> }) {
  const input = useRef<HTMLInputElement>(null);
  const [busy, setBusy] = useState(false);
  return (
    <>
      <Input
        ref={input}
        type="file"
        multiple
        hidden
        data-testid="files"
        onChange={(e) => {
          const chosen = [...(e.target.files ?? [])];
          e.target.value = "";
          setBusy(true);
          void send(chosen).finally(() => setBusy(false));
        }}
      />
      <MainButton busy={busy} onClick={() => input.current?.click()}>
        Bring in files
      </MainButton>
    </>
  );
}

export function GatherPanel({ jobs, project, atlas, upload }: PanelProps) {
  const houseAction = useAction("house");
  const unwrapAction = useAction("unwrap");
  const moveObjectsAction = useAction("move-objects");
  const updateAction = useAction("update");
  const editor = useEditor("document");
  const loose = useLooseObjects(project);
  const setStage = useUi((ui) => ui.setStage);
  const bare = (editor.document.info?.objects ?? []).filter(lacksLayout);
  const [unit, setUnit] = useState("1");
  const newer = useRef<HTMLInputElement>(null);
  const older = useRef(0);
  const files = new Map<number, { name: string; count: number; unit: number }>();
  for (const { source, file, unit } of editor.document.info?.objects ?? [])
    files.set(source, { name: file, unit, count: (files.get(source)?.count ?? 0) + 1 });
  return (
    <>
      <Title note="Bring in many meshes at once: OBJ with MTL and textures, glTF, GLB, or a zip. Drop them anywhere.">
        Gather
      </Title>
      <Text mb="1">Unit of OBJ files</Text>
      <Box mb="2">
        <UnitSelect unit={unit} setUnit={setUnit} />
      </Box>
      <Text color="soft" fontSize="12px" mb="2">
        An OBJ does not say its unit. glTF is always in metres.
      </Text>
      <NumberField
        label="Merge UVs closer than"
        unit="tiles"
        value={project.uv_tolerance ?? 1e-5}
        min={0}
        max={0.01}
        step={1e-5}
        onChange={(uv_tolerance) => houseAction.run({ uv_tolerance })}
      />
      <Text color="soft" fontSize="12px" mb="2">
        Files round their UVs; this is of files that come in from now on.
      </Text>
      <BringIn send={(chosen) => upload(chosen, Number(unit))} />
      <Running jobs={jobs} kind="gather" />
      {bare.length > 0 && (
        <Box
          mt="3"
          pt="2"
          borderTopWidth="1.5px"
          borderTopStyle="dashed"
          borderColor="line"
          data-testid="to-flatten"
        >
          <Text fontWeight="650">
            {bare.length === 1 ? "One object has" : `${bare.length} objects have`} no usable UVs
          </Text>
          <Text fontSize="12.5px" color="soft" truncate title={bare.map((o) => o.name).join(", ")}>
            {bare.map((o) => o.name).join(", ")}
          </Text>
          <Button
            size="xs"
            w="100%"
            mt="1.5"
            variant="outline"
            borderColor="petrol"
            color="petrol"
            disabled={running(jobs, "unwrap")}
            onClick={() => {
              unwrapAction.run({ objects: [], ...AT_A_CLICK });
              setStage("Unwrap");
            }}
          >
            Unwrap {bare.length} {bare.length === 1 ? "object" : "objects"}
          </Button>
        </Box>
      )}
      <ChannelPart project={project} atlas={atlas} />
      {loose.length > 0 && (
        <Box mt="3" pt="2" borderTopWidth="1.5px" borderTopStyle="dashed" borderColor="line">
          <Flex justify="space-between" align="center">
            <Text fontWeight="650">In no atlas</Text>
            {loose.length > 1 && (
              <Button
                size="2xs"
                variant="outline"
                borderColor="line"
                onClick={() =>
                  moveObjectsAction.run({ atlas: atlas.id, objects: loose.map((o) => o.id) })
                }
              >
                Bring all {loose.length} here
              </Button>
            )}
          </Flex>
          {loose.map((o) => (
            <Flex key={o.id} justify="space-between" align="center" gap="1">
              <Text fontSize="12.5px" truncate flex="1" title={`${o.name || "unnamed"}, ${o.file}`}>
                {o.name || "unnamed"}
              </Text>
              <Text
                fontSize="12px"
                color="soft"
                whiteSpace="nowrap"
                title={o.islands < o.whole ? "The other islands lie in an atlas" : "Islands"}
              >
                {o.islands < o.whole ? `${o.islands} of ${o.whole}` : o.islands}
              </Text>
              <Button
                size="2xs"
                variant="ghost"
                onClick={() => moveObjectsAction.run({ atlas: atlas.id, objects: [o.id] })}
              >
                Bring here
              </Button>
            </Flex>
          ))}
        </Box>
      )}
      <Box mt="3">
        {[...files].map(([source, { name, count, unit: own }]) => (
          <Flex key={source} align="center" gap="1">
            <Text fontSize="12.5px" flex="1" minW="0" truncate title={name}>
              {name}{" "}
              <Text as="span" color="soft">
                · {format.whole(count)} {count === 1 ? "object" : "objects"}
              </Text>
            </Text>
            <UnitOfFile
              name={name}
              unit={own}
              disabled={running(jobs, "update")}
              change={(metres) => updateAction.run({ source, unit: metres, files: [] })}
            />
            <Button
              size="2xs"
              variant="ghost"
              px="1"
              color="petrol"
              disabled={running(jobs, "update")}
              title="Put a newer version in its place: what is still there keeps its layout and its place"
              aria-label={`Bring a newer ${name}`}
              onClick={() => {
                older.current = source;
                newer.current?.click();
              }}
            >
              newer…
            </Button>
          </Flex>
        ))}
        <Input
          ref={newer}
          type="file"
          multiple
          hidden
          data-testid="newer"
          onChange={(e) => {
            const chosen = [...(e.target.files ?? [])];
            e.target.value = "";
            if (chosen.length) updateAction.run({ source: older.current, files: chosen });
          }}
        />
        <Running jobs={jobs} kind="update" />
        <Brought jobs={jobs} atlas={atlas} />
        {files.size > 0 && <WatchPart project={project} />}
        {editor.document.info?.warnings.map((warning) => (
          <Text key={warning} color="amber" fontSize="12px" mt="1">
            {warning}
          </Text>
        ))}
      </Box>
    </>
  );
}

const SHORT: Record<string, string> = {
  "1": "m",
  "0.01": "cm",
  "0.001": "mm",
  "0.0254": "in",
  "0.3048": "ft",
};

type UnitProps = {
  name: string;
  unit: number;
  disabled: boolean;
  change: (metres: number) => void;
};

/** The unit that a file is read in: another one changes sizes and densities, and no layout. */
function UnitOfFile({ name, unit, disabled, change }: UnitProps) {
  const known = String(unit) in SHORT;
  return (
    <NativeSelect.Root size="xs" w="62px" disabled={disabled}>
      <NativeSelect.Field
        aria-label={`Unit of ${name}`}
        title="The unit that the file was made in: sizes and densities follow, the layout stays"
        h="22px"
        ps="1"
        value={String(unit)}
        onChange={(e) => change(Number(e.target.value))}
      >
        {!known && <option value={String(unit)}>{unit} m</option>}
        {UNITS.map(([value, long]) => (
          <option key={value} value={value} aria-label={long}>
            {SHORT[value]}
          </option>
        ))}
      </NativeSelect.Field>
      <NativeSelect.Indicator />
    </NativeSelect.Root>
  );
}

const MOST_TOLD = 8;
type News = UpdateResult & { new: string[]; kept: string[] };

/** What has become of an object, in words. */
const changesOf = (row: News["objects"][number]): string[] =>
  [
    row.new ? format.counted(row.new, "new face") : "",
    row.gone ? `${format.whole(row.gone)} are gone` : "",
    row.by_surface ? `${format.whole(row.by_surface)} by the surface` : "",
    ...row.changes,
  ].filter(Boolean);

/** What the last newer version has brought. */
function Brought({ jobs, atlas }: { jobs: Job[]; atlas: Atlas }) {
  const job = jobs.find(
    (one) => one.kind === "update" && one.state === "done" && one.atlas === atlas.id,
  );
  const news = job?.result as unknown as News | undefined;
  if (!news) return null;
  const odd = news.objects.filter(
    (row) => row.new || row.gone || row.by_surface || row.changes.length,
  );
  const lines = [
    `${format.whole(news.objects.length)} ${news.objects.length === 1 ? "object keeps its place" : "objects keep their places"}.`,
    ...odd.slice(0, MOST_TOLD).map((row) => `${row.object}: ${changesOf(row).join(", ")}.`),
    ...(odd.length > MOST_TOLD ? [`${odd.length - MOST_TOLD} more have changed.`] : []),
    ...(news.new.length ? [`New: ${news.new.join(", ")}.`] : []),
    ...(news.gone.length ? [`Gone: ${news.gone.join(", ")}.`] : []),
    ...(news.kept.length
      ? [`Left as they were, as they lie in several atlases: ${news.kept.join(", ")}.`]
      : []),
  ];
  return (
    <Box mt="1.5" fontSize="12px" color="soft" data-testid="brought-again">
      {lines.map((line) => (
        <Text key={line}>{line}</Text>
      ))}
    </Box>
  );
}
