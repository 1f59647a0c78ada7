import { useAction } from "../../api/actions/act";
import { Box, Button, Flex, Link, NativeSelect, Table, Text } from "@chakra-ui/react";
import { useId, type ReactNode } from "react";
import {
  lastMerged,
  roleName,
  sheetWidth,
  slotName,
  useProfiles,
  useShelf,
  type MergedTextures,
} from "../../api/merge";
import type { Shelf } from "../../api/client";
import * as format from "../../format";
import { useKept, useUi } from "../../state";
import { Foot, MainButton, Running, running, Title } from "../parts";
import { useChannelEdits } from "../ChannelEdits";
import type { PanelProps } from "../props";
import { Pick, Row } from "./fields";
import { GOOD_NAME, goodPattern, requestOf, useMergeSettings } from "./settings";
import { SharePlanButton } from "./SharePlan";
import { WritePart } from "./WritePart";
import { MERGE_SHOWN } from "./settings";
import { useMore } from "../MoreOptions";

const SIZES = [0, 512, 1024, 2048, 4096, 8192];
const FILTERS = {
  bilinear: "soft, as the card reads it",
  mitchell: "crisp (Mitchell)",
  lanczos: "crispest (Lanczos)",
} as const;

/** Merge: today against what comes, and the images of painted objects on their shared layout. */
export function MergePanel({ project, atlas, jobs }: PanelProps) {
  const mergeAction = useAction("merge");
  const newAtlasAction = useAction("new-atlas");
  const { settings, change } = useMergeSettings();
  const edits = useChannelEdits();
  const id = useId();
  const sheet = sheetWidth(atlas);
  const shelf = useShelf(atlas, settings.size || sheet);
  const { profiles } = useProfiles(project.id);
  const last = lastMerged(jobs, atlas);
  const busy = running(jobs, "merge") || mergeAction.busy;
  const fits = GOOD_NAME.test(settings.name) && goodPattern(settings.naming);
  const rest = useMore("merge", MERGE_SHOWN);
  const run = (preview: boolean) =>
    mergeAction.run({ ...rest, ...requestOf(settings, preview, profiles, edits) });
  return (
    <>
      <Title note="The objects get one set of textures on the layout that is on the table. What was painted moves with its islands; it is always taken from the files as they came.">
        Merge
      </Title>
      {shelf.data && <Today shelf={shelf.data} />}
      <SharePlanButton project={project} atlas={atlas} jobs={jobs} />
      {shelf.data?.warnings.length ? <Warnings shelf={shelf.data} /> : null}
      {shelf.data?.suggestions.map((row) => (
        <Flex
          key={row.title}
          gap="1.5"
          align="flex-start"
          fontSize="12px"
          lineHeight="1.35"
          mb="2"
          data-testid="suggestion"
        >
          <Text flex="1">{row.what}</Text>
          <Button
            size="2xs"
            variant="outline"
            borderColor="petrol"
            color="petrol"
            disabled={busy}
            loading={newAtlasAction.busy}
            onClick={() => newAtlasAction.run({ name: row.title, objects: row.objects })}
          >
            New atlas
          </Button>
        </Flex>
      ))}
      {shelf.data?.shrunk.length ? <Shrunk shelf={shelf.data} /> : null}
      <Row label="Textures" id={`${id}s`}>
        <Pick
          id={`${id}s`}
          value={String(settings.size)}
          options={Object.fromEntries(
            SIZES.map((s) => [String(s), s ? `${s} px` : `as the tile, ${sheet} px`]),
          )}
          onChange={(v) => change({ size: Number(v) })}
        />
      </Row>
      <Row label="Normals" id={`${id}n`}>
        <Pick
          id={`${id}n`}
          value={String(settings.normal)}
          options={Object.fromEntries(
            SIZES.map((s) => [String(s), s ? `${s} px` : "as the others"]),
          )}
          onChange={(v) => change({ normal: Number(v) })}
        />
      </Row>
      <Row label="Enlarging filter" id={`${id}f`}>
        <Pick
          id={`${id}f`}
          value={settings.filter ?? "bilinear"}
          options={FILTERS}
          onChange={(v) => change({ filter: v as keyof typeof FILTERS })}
        />
      </Row>
      {edits.length > 0 && (
        <Text fontSize="12px" color="soft" mb="1.5">
          {edits.length === 1 ? "One edit" : `${edits.length} edits`} of UV channels from Hand off{" "}
          {edits.length === 1 ? "is" : "are"} made in the files.
        </Text>
      )}
      <WritePart project={project} settings={settings} change={change} />
      {last && (
        <Result
          merged={last.merged}
          job={last.job.id}
          stale={last.merged.revision !== atlas.head.id}
        />
      )}
      <Foot>
        <MainButton
          disabled={busy || !atlas.objects || !fits}
          busy={mergeAction.busy}
          onClick={() => run(false)}
        >
          {last && !last.merged.preview ? "Merge again" : "Merge"}
        </MainButton>
        <Flex gap="2" mt="1.5">
          <Button
            flex="1"
            size="xs"
            variant="outline"
            borderColor="line"
            disabled={busy || !atlas.objects || !fits}
            onClick={() => run(true)}
            title="Textures of 512 px on the table, no files"
          >
            Preview at 512
          </Button>
          {last?.merged.file && (
            <Button
              flex="1"
              size="xs"
              variant="outline"
              borderColor="petrol"
              color="petrol"
              onClick={() => useUi.getState().setStage("Hand off")}
              title="Files and merged textures are written there, in one zip"
            >
              Hand off …
            </Button>
          )}
        </Flex>
        <Running jobs={jobs} kind="merge" />
      </Foot>
    </>
  );
}

const FLAT = {
  "& tr": { bg: "transparent" },
  "& th, & td": { px: "3px", py: "2px", bg: "transparent", borderColor: "line" },
};

const CARDS = { bc7: "BC7", bc1: "BC1", bc5: "BC5", astc4x4: "ASTC 4×4" } as const;

function Today({ shelf }: { shelf: Shelf }) {
  const { plan } = shelf;
  const [card, setCard] = useKept<keyof typeof CARDS>("card", "bc7");
  const rows: [ReactNode, string, string][] = [
    ["textures", format.whole(plan.maps.before), format.whole(plan.maps.after)],
    ["materials", format.whole(plan.materials.before), format.whole(plan.materials.after)],
    ["draw calls", format.whole(plan.draw_calls.before), format.whole(plan.draw_calls.after)],
    ["texels", millions(plan.texels.before), millions(plan.texels.after)],
    ["memory, raw", megabytes(plan.memory.before.raw), megabytes(plan.memory.after.raw)],
    [
      <Flex key="card" align="center" gap="1">
        as{" "}
        <NativeSelect.Root size="xs" w="72px">
          <NativeSelect.Field
            h="22px"
            px="1.5"
            fontSize="12px"
            aria-label="Format on the card"
            title="How the target stores textures; all with mips"
            value={card}
            onChange={(e) => setCard(e.target.value as keyof typeof CARDS)}
          >
            {Object.entries(CARDS).map(([key, text]) => (
              <option key={key} value={key}>
                {text}
              </option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
      </Flex>,
      megabytes(plan.memory.before[card]),
      megabytes(plan.memory.after[card]),
    ],
  ];
  return (
    <Table.Root size="sm" variant="line" fontSize="12.5px" mb="2" css={FLAT} data-testid="today">
      <Table.Header>
        <Table.Row>
          {["what", "today", "after"].map((text, k) => (
            <Table.ColumnHeader
              key={text}
              color="soft"
              fontWeight="400"
              textAlign={k ? "end" : "start"}
            >
              {text}
            </Table.ColumnHeader>
          ))}
        </Table.Row>
      </Table.Header>
      <Table.Body>
        {rows.map(([text, before, after], k) => (
          <Table.Row key={k}>
            <Table.Cell color="soft">{text}</Table.Cell>
            <Table.Cell textAlign="end" whiteSpace="nowrap">
              {before}
            </Table.Cell>
            <Table.Cell textAlign="end" fontWeight="650" whiteSpace="nowrap">
              {after}
            </Table.Cell>
          </Table.Row>
        ))}
      </Table.Body>
    </Table.Root>
  );
}

function Warnings({ shelf }: { shelf: Shelf }) {
  return (
    <Box mb="2" data-testid="misfits">
      <Text fontWeight="650" fontSize="12.5px">
        Look at these
      </Text>
      <Box as="ul" listStyleType="none">
        {shelf.warnings.map((row) => (
          <Flex as="li" key={row.what} gap="1.5" fontSize="12px" lineHeight="1.35" mt="1">
            <Text color="amber" aria-hidden>
              ◆
            </Text>
            <Text>
              {row.what}{" "}
              <Text as="span" color="soft">
                {row.fix}
              </Text>
            </Text>
          </Flex>
        ))}
      </Box>
    </Box>
  );
}

function Shrunk({ shelf }: { shelf: Shelf }) {
  return (
    <Box mb="2" data-testid="shrunk">
      <Text
        fontWeight="650"
        fontSize="12.5px"
        title="Texels of the new textures along an edge, for each one that it was painted with"
      >
        Painted density that is kept
      </Text>
      <Box as="ul" listStyleType="none" maxH="84px" overflowY="auto" fontSize="12px">
        {shelf.shrunk.map((row) => (
          <Flex as="li" key={row.object} justify="space-between" gap="2">
            <Text truncate>{row.object}</Text>
            <Text color={row.kept < 0.5 ? "amber" : "soft"}>{format.percent(row.kept)} %</Text>
          </Flex>
        ))}
      </Box>
    </Box>
  );
}

function Result({ merged, job, stale }: { merged: MergedTextures; job: number; stale: boolean }) {
  const worst = merged.report.objects
    .flatMap((row) => Object.entries(row.loss).map(([role, db]) => ({ name: row.name, role, db })))
    .sort((a, b) => a.db - b.db)[0];
  const thin = merged.report.objects.filter((row) => row.kept !== null && row.kept < 0.98);
  return (
    <Box borderTopWidth="1px" borderColor="line" pt="1.5" mb="2" data-testid="carried-figures">
      <Text fontWeight="650" fontSize="12.5px">
        {merged.preview ? "The preview" : "Merged"}
        {stale && (
          <Text as="span" color="amber" fontWeight="400">
            {" "}
            · the layout has changed since
          </Text>
        )}
      </Text>
      <Box as="ul" listStyleType="none" fontSize="12px">
        {merged.report.textures.map((row) => (
          <Flex as="li" key={row.name} justify="space-between" gap="2">
            <Link
              href={`/api/jobs/${job}/textures/${encodeURIComponent(row.name)}`}
              download={row.name}
              color="petrol"
            >
              {roleName(row.role)}
              {row.tile ? `, ${row.tile}` : ""}
            </Link>
            <Text color="soft">
              {row.width} × {row.height} px, {row.channels} × {row.bits} bit
            </Text>
          </Flex>
        ))}
      </Box>
      {merged.report.profile.length > 0 && (
        <Text fontSize="12px" mt="1">
          {format.whole(merged.report.profile.length)} more in the folder “
          {merged.report.profile[0].name.split("/")[0]}” of the zip.
        </Text>
      )}
      <Text fontSize="12px" color="soft" mt="1">
        {format.percent(merged.report.coverage)} % of the texels are used;{" "}
        {merged.report.seconds["merge"].toFixed(1)} s.
      </Text>
      {!merged.preview && worst && (
        <Text
          fontSize="12px"
          color={worst.db < 35 ? "amber" : "soft"}
          title="Old and new textures compared at 1,500 points of each object, in linear light; above 45 dB no eye tells them apart"
        >
          Worst part: {worst.name}, {slotName(worst.role)}, {worst.db.toFixed(1)} dB.
        </Text>
      )}
      {!merged.preview && thin.length > 0 && (
        <Box mt="1">
          <Text fontSize="12px">Painted density kept</Text>
          <Box as="ul" listStyleType="none" fontSize="12px" maxH="96px" overflowY="auto">
            {[...thin]
              .sort((a, b) => a.kept! - b.kept!)
              .map((row) => (
                <Flex as="li" key={row.name} justify="space-between" gap="2">
                  <Text truncate>{row.name}</Text>
                  <Text color={row.kept! < 0.5 ? "amber" : "soft"}>
                    {format.percent(row.kept!)} %
                  </Text>
                </Flex>
              ))}
          </Box>
        </Box>
      )}
      {merged.notes.map((note) => (
        <Text key={note} fontSize="12px" color="amber" mt="1">
          {note}
        </Text>
      ))}
    </Box>
  );
}

const megabytes = (bytes: number) =>
  bytes >= 1e9 ? `${(bytes / 1e9).toFixed(1)} GB` : `${(bytes / 1e6).toFixed(1)} MB`;
const millions = (texels: number) => `${(texels / 1e6).toFixed(1)} M`;
