import { Box, Button, Flex } from "@chakra-ui/react";
import type { SlipProps } from "../components/TaskSlip";
import { useKept } from "../state";
import { IslandsPart } from "./IslandsPart";
import { PackPart } from "./PackPart";
import { PlanPart } from "./PlanPart";
import { StacksPart } from "./StacksPart";
import { TilesPart } from "./TilesPart";

const PARTS = { Pack: PackPart, Islands: IslandsPart, Tiles: TilesPart, Stacks: StacksPart, Plan: PlanPart };
type Part = keyof typeof PARTS;

/** Arrange has five pages in its slip: settings, single islands, tiles, stacks and the planner. */
export function ArrangeSlip(props: SlipProps) {
  const [part, setPart] = useKept<Part>("arrange part", "Pack");
  const Shown = PARTS[part];
  return (
    <>
      <Flex role="tablist" aria-label="Arrange" justify="space-between" mx="-4px" mb="2.5" borderBottomWidth="1.5px" borderBottomStyle="dashed" borderColor="line">
        {(Object.keys(PARTS) as Part[]).map((name) => (
          <Button key={name} role="tab" aria-selected={part === name} variant="plain" size="2xs" px="1" h="24px" rounded="0" fontSize="12.5px" fontWeight={part === name ? "700" : "400"} color={part === name ? "ink" : "soft"}
            borderBottomWidth="2px" borderColor={part === name ? "petrol" : "transparent"} onClick={() => setPart(name)}>{name}</Button>
        ))}
      </Flex>
      <Box role="tabpanel" aria-label={part}><Shown {...props} /></Box>
    </>
  );
}
