import { Box, Button, Flex, Text } from "@chakra-ui/react";
import { useEditor } from "../api/hooks";
import { FLAGS } from "../editor/style/islandStyle";
import * as format from "../format";
import type { SlipProps } from "../components/TaskSlip";
import { Title } from "./parts";

/** The counts of what stands against a bake; each row selects its islands. */
export function ProveSlip({ atlas }: SlipProps) {
  const editor = useEditor();
  const f = editor.info?.figures;
  if (!f) return <Title note="The figures are being measured.">Prove</Title>;
  const gapShort = f.overlap_pairs > 0 || (f.gap_px !== null && f.gap_px < (atlas.padding ?? 8) - 1e-3);
  const rows: [string, string, boolean, number[]][] = [
    ["Overlapping islands", format.whole(f.overlapping), f.overlapping > 0, editor.flagged(FLAGS.overlapping)],
    ["Texels shared", format.whole(f.overlap_texels), f.overlap_texels > 0, editor.flagged(FLAGS.overlapping)],
    ["Outside the sheet", format.whole(f.outside), f.outside > 0, editor.flagged(FLAGS.outside)],
    ["Smallest gap", `${f.overlap_pairs ? "0.00" : (f.gap_px?.toFixed(2) ?? "–")} px`, gapShort, f.gap_islands.filter((i) => i >= 0)],
    ["Distance to the edge", `${f.margin_px?.toFixed(2) ?? "–"} px`, (f.margin_px ?? 0) < 0, []],
    ["Objects without UVs", format.whole(f.unflattened), f.unflattened > 0, []],
    ["Mirrored islands", format.whole(f.mirrored), false, editor.flagged(FLAGS.mirrored)],
    ["Collapsed islands", format.whole(f.collapsed), false, editor.flagged(FLAGS.collapsed)],
    ["On the side table", format.whole(f.side_table), f.side_table > 0, editor.flagged(FLAGS.sideTable)],
  ];
  const against = rows.filter(([, , bad]) => bad).length;
  return (
    <>
      <Title note={`Measured on exact outlines; wanted gap ${atlas.padding} px.`}>{against ? "Not ready to bake" : "Ready to bake"}</Title>
      <Box>
        {rows.map(([name, value, bad, islands]) => (
          <Button key={name} variant="ghost" w="100%" h="28px" px="1" fontWeight="400" fontSize="13px" disabled={!islands.length} _disabled={{ opacity: 1 }}
            onClick={() => { editor.select((s) => s.set(islands)); editor.frameSelection(); }}>
            <Flex w="100%" justify="space-between"><Text color={bad ? "rose" : undefined}>{name}</Text><Text fontWeight="700" color={bad ? "rose" : undefined}>{value}</Text></Flex>
          </Button>
        ))}
      </Box>
    </>
  );
}
