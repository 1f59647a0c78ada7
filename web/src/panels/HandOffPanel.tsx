import { useAction } from "../api/actions/act";
import { Box, Button, Flex, Link, Text } from "@chakra-ui/react";
import type { HandOffTextures } from "../api/client";
import { oldReport, useEditor } from "../api/hooks";
import { useHandOffTextures } from "../api/merge";
import * as format from "../format";
import { ChannelEdits, useChannelEdits } from "./ChannelEdits";
import { TexturesPart } from "./TexturesPart";
import type { PanelProps } from "./props";
import { useKept, useUi } from "../state";
import { Check, MainButton, Pages, Running, running, Title } from "./parts";
import { RunSheetPart } from "./RunSheetPart";

const PARTS = ["Files", "Run sheet"] as const;

/** Hand off has two pages: the files, and the run sheet that makes them again. */
export function HandOffPanel(props: PanelProps) {
  const [page, turn] = useKept<(typeof PARTS)[number]>("hand off part", "Files");
  return (
    <>
      <Pages label="Hand off" pages={PARTS} page={page} turn={turn} />
      <Box role="tabpanel" aria-label={page}>
        {page === "Files" ? <FilesPart {...props} /> : <RunSheetPart {...props} />}
      </Box>
    </>
  );
}

function FilesPart({ atlas, project, jobs }: PanelProps) {
  const exportingAction = useAction("export");
  const editor = useEditor("document", "figures");
  const edits = useChannelEdits();
  const last = jobs.find((job) => job.kind === "export" && job.state === "done");
  const notes = (last?.result as { notes?: string[] } | undefined)?.notes ?? [];
  const { report } = editor.figures;
  const head = atlas.objects ? atlas.head.id : 0;
  const busy = running(jobs, "export") || exportingAction.busy;
  const textures = useHandOffTextures(project, jobs, edits);
  const misfit = (textures.data?.misfits.length ?? 0) > 0;
  const [apart, setApart] = useKept("stacks apart", false);
  const stacked = editor.document.info?.controls.stack.some((stack) => stack >= 0) ?? false;
  const run = (layoutOnly: boolean) =>
    exportingAction.run({ edits, layout_only: layoutOnly, stacks_apart: stacked && apart });
  return (
    <>
      <Title note="All files come back in their own format with the new UVs; everything else in them is as it was. Layout sheets and the report are in the zip.">
        Hand off
      </Title>
      {report && !report.ready && (
        <Text color="rose" mb="2" lineHeight="1.35" data-old={oldReport(editor)}>
          Not safe to bake yet: {report.against.join(", ")}.
        </Text>
      )}
      {textures.data && (
        <HandedTextures found={textures.data} busy={busy} layoutOnly={() => run(true)} />
      )}
      {stacked && (
        <Check label="Stacked copies a tile away, for a bake" value={apart} onChange={setApart} />
      )}
      <MainButton
        disabled={!project.objects || busy || misfit || textures.isPending}
        busy={exportingAction.busy}
        onClick={() => run(false)}
      >
        Export all as zip
      </MainButton>
      {project.atlases.length > 1 && (
        <Text color="soft" fontSize="12px" mt="1.5">
          All {project.atlases.length} atlases are written into one set of files; the layout sheets
          and report of each are in a folder of its name.
        </Text>
      )}
      {notes.map((note) => (
        <Text key={note} color="amber" fontSize="12px" mt="1">
          {note}
        </Text>
      ))}
      <Running jobs={jobs} kind="export" />
      {head > 0 && (
        <Box mt="3">
          <Text mb="1">Layout sheet</Text>
          <Link
            href={`/api/revisions/${head}/sheet.png`}
            download
            color="petrol"
            display="inline-block"
            py="1"
          >
            PNG at {drawn(editor.document.tile)} px
          </Link>
          <br />
          <Link
            href={`/api/revisions/${head}/sheet.svg`}
            download
            color="petrol"
            display="inline-block"
            py="1"
          >
            SVG, a named group per object
          </Link>
          <br />
          <Link
            href="/api/checker.png"
            download="checker.png"
            color="petrol"
            display="inline-block"
            py="1"
          >
            Checker image, 1024 px
          </Link>
        </Box>
      )}
      {head > 0 && <ChannelEdits atlas={atlas} />}
      {head > 0 && <TexturesPart atlas={atlas} jobs={jobs} />}
    </>
  );
}

const MOST_NAMES = 5;

/** Which textures go with the files: merged ones, or what to do about objects that are painted for another layout. */
function HandedTextures({
  found,
  busy,
  layoutOnly,
}: {
  found: HandOffTextures;
  busy: boolean;
  layoutOnly: () => void;
}) {
  const { setStage, goToAtlas } = useUi.getState();
  const names = found.misfits.flatMap((row) => row.objects);
  const merge = () => {
    goToAtlas(found.misfits[0].atlas);
    setStage("Merge");
  };
  return (
    <Box data-testid="handed-textures" fontSize="12.5px" lineHeight="1.35" mb="2">
      {found.merges.map((row) => (
        <Text key={row.job}>
          With {format.whole(row.textures)} merged {row.textures === 1 ? "texture" : "textures"} of{" "}
          {format.moment(row.finished)}.
        </Text>
      ))}
      {names.length > 0 && (
        <Box borderLeftWidth="3px" borderColor="amber" pl="2" mt="1" role="status">
          <Text>
            <b>
              {names.length === 1 ? "One object is" : `${format.whole(names.length)} objects are`}{" "}
              painted for another layout:
            </b>{" "}
            {names.slice(0, MOST_NAMES).join(", ")}
            {names.length > MOST_NAMES && ` and ${names.length - MOST_NAMES} more`}.
            {found.why && ` ${found.why[0].toUpperCase()}${found.why.slice(1)}.`}
          </Text>
          <Flex gap="2" mt="1.5" wrap="wrap">
            <Button size="xs" bg="petrol" color="onPetrol" onClick={merge}>
              Merge textures …
            </Button>
            <Button
              size="xs"
              variant="outline"
              borderColor="line"
              disabled={busy}
              onClick={layoutOnly}
              title="The files get the new UVs and keep the textures they have, which do not fit them: for painting anew"
            >
              Layout only
            </Button>
          </Flex>
          <Text color="soft" fontSize="12px" mt="1">
            Layout only: new UVs, the old textures beside them. They will not fit.
          </Text>
        </Box>
      )}
    </Box>
  );
}

/** Images by address are drawn up to 4096 px; those in the zip have the size of the sheet. */
function drawn([, width, height]: readonly [number, number, number]): string {
  const part = Math.min(1, 4096 / Math.max(width, height));
  return `${Math.round(width * part)} × ${Math.round(height * part)}`;
}
