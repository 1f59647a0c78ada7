import { Box } from "@chakra-ui/react";
import type { PanelProps } from "./props";
import { useKept } from "../state";
import { IslandsPart } from "./IslandsPart";
import { PackPart } from "./PackPart";
import { PlanPart } from "./PlanPart";
import { StacksPart } from "./StacksPart";
import { TilesPart } from "./TilesPart";
import { Pages } from "./parts";

const PARTS = {
  Pack: PackPart,
  Islands: IslandsPart,
  Tiles: TilesPart,
  Stacks: StacksPart,
  Plan: PlanPart,
};
type Part = keyof typeof PARTS;

/** Arrange has five pages in its panel: settings, single islands, tiles, stacks and the planner. */
export function ArrangePanel(props: PanelProps) {
  const [part, setPart] = useKept<Part>("arrange part", "Pack");
  const Shown = PARTS[part];
  return (
    <>
      <Pages label="Arrange" pages={Object.keys(PARTS) as Part[]} page={part} turn={setPart} />
      <Box role="tabpanel" aria-label={part}>
        <Shown {...props} />
      </Box>
    </>
  );
}
