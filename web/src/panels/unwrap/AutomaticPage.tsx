import { useAction } from "../../api/actions/act";
import { Box, Button, Flex, NativeSelect, Table, Text } from "@chakra-ui/react";
import type { Job } from "../../api/client";
import { useEditor } from "../../api/hooks";
import * as format from "../../format";
import { useKept, useUi } from "../../state";
import { lacksLayout } from "../lacksLayout";
import type { PanelProps } from "../props";
import { MoreOptions, useMore } from "../MoreOptions";
import {
  Check,
  Choice,
  Foot,
  MainButton,
  NumberField,
  Range,
  Running,
  running,
  Title,
} from "../parts";

const SEAMS = {
  natural: "natural",
  shape: "fewest seams",
  angle: "by angle",
  hard: "at hard edges",
  material: "between materials",
  group: "between groups",
  one: "one piece each",
} as const;
type Seams = keyof typeof SEAMS;
const SAID: Record<Seams, string> = {
  natural: "Seams at creases; flat and round parts unroll, grids of quads come straight.",
  shape: "Islands grow while their stretch stays below the limit.",
  angle: "Edges that turn by more are seams.",
  hard: "Edges that are shaded hard are seams; of objects without normals those that turn by more than the angle.",
  material: "Borders of materials are seams.",
  group: "Borders of the groups of a file are seams.",
  one: "Each piece stays whole, whatever its stretch.",
};
const SCOPES = ["bare", "selected"] as const;
const SHOWN = ["objects", "which", "seams", "angle", "stretch", "balance", "weld", "symmetric"];

type Flat = {
  id: number;
  object: string;
  islands: number;
  seam: number;
  stretch_l2: number;
  stretch_p95: number;
  flipped: number;
};

/** Whole objects: cut into islands and flattened. */
export function AutomaticPage({ jobs }: PanelProps) {
  const unwrapAction = useAction("unwrap");
  const editor = useEditor("document", "selection", "picks");
  const setStage = useUi((ui) => ui.setStage);
  const [seams, setSeams] = useKept<Seams>("seams", "natural");
  const [stretch, setStretch] = useKept("unwrap stretch", 1.05);
  const [angle, setAngle] = useKept("unwrap angle", 45);
  const [balance, setBalance] = useKept("balance", 0.5);
  const [weld, setWeld] = useKept("unwrap weld", 0);
  const [symmetric, setSymmetric] = useKept("unwrap symmetric", false);
  const [scope, setScope] = useKept<(typeof SCOPES)[number]>("unwrap scope", "bare");
  const rows = editor.document.info?.objects ?? [];
  const bare = rows.filter(lacksLayout);
  // Edges that are drawn for seams select no object.
  const named = new Set([
    ...editor.picks.objects().filter((id) => editor.picks.of(id).faces.size > 0),
    ...editor.selection.list().map((island) => editor.document.objectOf(island)?.id),
  ]);
  const picked = rows.filter((o) => named.has(o.id));
  const chosen = scope === "selected" ? picked : bare;
  const busy = running(jobs, "unwrap");
  const rest = useMore("unwrap", SHOWN);
  const run = (draft: boolean) =>
    unwrapAction.run({
      ...rest,
      objects: chosen.map((o) => o.id),
      seams,
      angle,
      stretch,
      balance,
      weld: weld / 100,
      symmetric,
      draft,
    });
  const counted = chosen.length ? format.counted(chosen.length, "object") : "";
  return (
    <>
      <Title
        note={
          bare.length
            ? `${bare.length} of ${rows.length} objects have no usable UVs.`
            : "Every object has usable UVs. Select some on the table to unwrap them anew."
        }
      >
        Unwrap
      </Title>
      <Box as="ul" listStyleType="none" mb="2" maxH="132px" overflowY="auto" data-testid="bare">
        {bare.map((o) => (
          <Flex as="li" key={o.id} justify="space-between" gap="2" fontSize="12.5px">
            <Box
              as="button"
              minW="0"
              textAlign="start"
              truncate
              textDecoration="underline"
              textDecorationStyle="dotted"
              cursor="pointer"
              title={`Select all faces of ${o.name} and look at it; Shift adds`}
              onClick={(e: React.MouseEvent) => void editor.pickObject(o.id, e.shiftKey)}
            >
              {o.name}
            </Box>
            <Text color="amber" whiteSpace="nowrap">
              {o.useless ? "useless UVs" : "no UVs"}, {format.counted(o.faces, "face")}
            </Text>
          </Flex>
        ))}
      </Box>
      <Choice
        label="Objects"
        value={scope}
        options={SCOPES}
        onChange={setScope}
        names={{ bare: `no UVs (${bare.length})`, selected: `selected (${picked.length})` }}
      />
      {chosen.length > 0 && (
        <Text color="soft" fontSize="12px" mb="2" lineClamp="2" data-testid="meant">
          {chosen.map((o) => o.name).join(", ")}
        </Text>
      )}
      <Text mb="1">Islands</Text>
      <NativeSelect.Root size="xs" mb="1">
        <NativeSelect.Field
          aria-label="Islands"
          value={seams}
          onChange={(e) => setSeams(e.target.value as Seams)}
        >
          {Object.entries(SEAMS).map(([value, name]) => (
            <option key={value} value={value}>
              {name}
            </option>
          ))}
        </NativeSelect.Field>
        <NativeSelect.Indicator />
      </NativeSelect.Root>
      <Text color="soft" fontSize="12px" mb="2">
        {SAID[seams]}
      </Text>
      {(seams === "angle" || seams === "hard") && (
        <NumberField
          label={seams === "hard" ? "Without normals, from" : "Angle from"}
          unit="°"
          value={angle}
          min={1}
          max={180}
          step={5}
          onChange={setAngle}
        />
      )}
      {seams !== "one" && (
        <NumberField
          label="Stretch up to"
          unit="L2"
          value={stretch}
          min={1.0005}
          max={4}
          step={0.01}
          onChange={setStretch}
        />
      )}
      <Range label="Keep" value={balance} left="angles" right="areas" onChange={setBalance} />
      <NumberField
        label="Weld within"
        unit="% of size"
        value={weld}
        min={0}
        max={5}
        step={0.01}
        onChange={setWeld}
      />
      <Check
        label="Both sides alike, where the object is symmetric"
        value={symmetric}
        onChange={setSymmetric}
      />
      <MoreOptions operation="unwrap" shown={SHOWN} />
      <Results jobs={jobs} />
      <Foot>
        <MainButton
          disabled={!chosen.length || busy}
          busy={unwrapAction.busy}
          onClick={() => run(false)}
        >
          Unwrap {counted}
        </MainButton>
        <Flex gap="2" mt="1.5">
          <Button
            flex="1"
            size="xs"
            variant="outline"
            borderColor="line"
            disabled={!chosen.length || busy}
            onClick={() => run(true)}
            title="Beside the present layout, to compare"
          >
            As a draft
          </Button>
          <Button
            flex="1"
            size="xs"
            variant="outline"
            borderColor="line"
            onClick={() => useUi.getState().setDrafts(true)}
            title="Drafts, side by side; keep one"
          >
            Drafts…
          </Button>
          <Button
            flex="1"
            size="xs"
            variant="outline"
            borderColor="line"
            onClick={() => setStage("Arrange")}
            title="New islands lie on the side table, at the house density"
          >
            Pack…
          </Button>
        </Flex>
        <Running jobs={jobs} kind="unwrap" />
      </Foot>
    </>
  );
}

/** What the last flattening gave, object by object. */
function Results({ jobs }: { jobs: Job[] }) {
  const last = jobs.find((job) => job.kind === "unwrap" && job.state === "done");
  const flat = ((last?.result ?? {}) as { objects?: Flat[] }).objects ?? [];
  if (!flat.length) return null;
  return (
    <Box mt="2" mb="2" data-testid="flattened">
      <Text fontWeight="650" mb="1">
        {(last!.result as { draft?: boolean }).draft ? "The last draft" : "Unwrapped"}
      </Text>
      <Table.Root
        size="sm"
        variant="line"
        fontSize="12px"
        bg="transparent"
        css={{
          "& tr": { bg: "transparent" },
          "& th, & td": { px: "4px", py: "2px", bg: "transparent", borderColor: "line" },
        }}
      >
        <Table.Header>
          <Table.Row>
            {["", "islands", "seam", "stretch"].map((name, k) => (
              <Table.ColumnHeader
                key={name}
                color="soft"
                fontWeight="400"
                textAlign={k ? "end" : "start"}
                title={HINTS[name]}
              >
                {name}
              </Table.ColumnHeader>
            ))}
          </Table.Row>
        </Table.Header>
        <Table.Body>
          {flat.map((row) => (
            <Table.Row key={row.id}>
              <Table.Cell maxW="82px" truncate title={row.object}>
                {row.object}
              </Table.Cell>
              <Table.Cell textAlign="end">{format.whole(row.islands)}</Table.Cell>
              <Table.Cell textAlign="end">{row.seam.toFixed(1)}</Table.Cell>
              <Table.Cell
                textAlign="end"
                title={`95 % of the surface below ${row.stretch_p95.toFixed(3)}; ${format.counted(row.flipped, "face")} turned over`}
              >
                {row.stretch_l2.toFixed(3)}
              </Table.Cell>
            </Table.Row>
          ))}
        </Table.Body>
      </Table.Root>
    </Box>
  );
}

const HINTS: Record<string, string> = {
  seam: "Length of the seams in sides of a square as large as the surface",
  stretch: "L2 stretch; 1 is none",
};
