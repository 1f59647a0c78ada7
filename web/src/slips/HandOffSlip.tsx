import { Box, Link, Text } from "@chakra-ui/react";
import { useEditor } from "../api/hooks";
import type { SlipProps } from "../components/TaskSlip";
import { MainButton, Running, running, Title } from "./parts";

export function HandOffSlip({ atlas, jobs, actions }: SlipProps) {
  const editor = useEditor();
  const f = editor.info?.figures;
  const faults = f ? f.overlapping + f.outside : 0;
  const head = atlas.head?.id;
  return (
    <>
      <Title note="All files come back in their own format with the new UVs; everything else in them is as it was. Layout sheets are in the zip.">Hand off</Title>
      {faults > 0 && <Text color="rose" mb="2">{f!.overlapping} islands overlap and {f!.outside} lie outside: this layout is not safe to bake yet.</Text>}
      <MainButton disabled={!head || running(jobs, "export")} busy={actions.handOff.isPending} onClick={() => actions.handOff.mutate()}>Export all as zip</MainButton>
      <Running jobs={jobs} kind="export" actions={actions} />
      {head && <Box mt="3">
        <Text mb="1">Layout sheet</Text>
        <Link href={`/api/revisions/${head}/sheet.png`} download color="petrol">PNG at {editor.tile[1]} × {editor.tile[2]} px</Link><br />
        <Link href={`/api/revisions/${head}/sheet.svg`} download color="petrol">SVG, a named group per object</Link><br />
        <Link href="/api/checker.png" download="checker.png" color="petrol">Checker picture, 1024 px</Link>
      </Box>}
    </>
  );
}
