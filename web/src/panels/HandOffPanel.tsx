import { useAction } from "../api/actions/act";
import { Box, Link, Text } from "@chakra-ui/react";
import { useEditor } from "../api/hooks";
import { ChannelEdits, useChannelEdits } from "./ChannelEdits";
import { TexturesPart } from "./TexturesPart";
import type { PanelProps } from "./props";
import { useKept } from "../state";
import { MainButton, Pages, Running, running, Title } from "./parts";
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
  return (
    <>
      <Title note="All files come back in their own format with the new UVs; everything else in them is as it was. Layout sheets and the report are in the zip.">
        Hand off
      </Title>
      {report && !report.ready && (
        <Text color="rose" mb="2" lineHeight="1.35">
          Not safe to bake yet: {report.against.join(", ")}.
        </Text>
      )}
      <MainButton
        disabled={!project.objects || running(jobs, "export")}
        busy={exportingAction.busy}
        onClick={() => exportingAction.run(edits)}
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

/** Images by address are drawn up to 4096 px; those in the zip have the size of the sheet. */
function drawn([, width, height]: readonly [number, number, number]): string {
  const part = Math.min(1, 4096 / Math.max(width, height));
  return `${Math.round(width * part)} × ${Math.round(height * part)}`;
}
