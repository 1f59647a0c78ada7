import { Box } from "@chakra-ui/react";
import { useUi } from "../state";
import { ArrangeSlip } from "../slips/ArrangeSlip";
import { EvenOutSlip } from "../slips/EvenOutSlip";
import { GatherSlip } from "../slips/GatherSlip";
import { HandOffSlip } from "../slips/HandOffSlip";
import { ProveSlip } from "../slips/ProveSlip";
import type { SlipProps } from "../slips/props";

const SLIPS = { Gather: GatherSlip, "Even out": EvenOutSlip, Arrange: ArrangeSlip, Prove: ProveSlip, "Hand off": HandOffSlip };

/** The slip of paper that says what can be done at this stage. */
export function TaskSlip(props: SlipProps) {
  const Slip = SLIPS[useUi((ui) => ui.stage)];
  return (
    <Box as="section" aria-label="Task" bg="slip" rounded="lg" borderWidth="1px" borderColor="line" px="14px" py="12px" overflowY="auto" minH="0">
      <Slip {...props} />
    </Box>
  );
}
