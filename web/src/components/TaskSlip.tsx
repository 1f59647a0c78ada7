import { Box, IconButton } from "@chakra-ui/react";
import { ChevronsLeft } from "lucide-react";
import { useState } from "react";
import { useLooked } from "../looked";
import { useUi } from "../state";
import { ArrangeSlip } from "../slips/ArrangeSlip";
import { CarrySlip } from "../slips/carry/CarrySlip";
import { EvenOutSlip } from "../slips/EvenOutSlip";
import { GatherSlip } from "../slips/GatherSlip";
import { MendSlip } from "../slips/mend/MendSlip";
import { HandOffSlip } from "../slips/HandOffSlip";
import { FootPlace } from "../slips/parts";
import { ProveSlip } from "../slips/ProveSlip";
import type { SlipProps } from "../slips/props";

const SLIPS = {
  Gather: GatherSlip,
  Unwrap: MendSlip,
  "Even out": EvenOutSlip,
  Arrange: ArrangeSlip,
  Merge: CarrySlip,
  Check: ProveSlip,
  "Hand off": HandOffSlip,
};

/** The slip of paper that says what can be done at this stage. */
export function TaskSlip({ fold, ...props }: SlipProps & { fold: () => void }) {
  const looked = useLooked((state) => state.draft);
  const Slip = SLIPS[useUi((ui) => ui.stage)];
  const [foot, setFoot] = useState<HTMLElement | null>(null);
  return (
    <Box position="relative" display="grid" minH="0">
      <Box
        as="section"
        aria-label="Task"
        display="flex"
        flexDirection="column"
        bg="slip"
        rounded="lg"
        borderWidth="1px"
        borderColor="line"
        minH="0"
        overflow="hidden"
      >
        <fieldset
          disabled={looked !== null}
          style={{ opacity: looked ? 0.5 : undefined, display: "contents" }}
        >
          <FootPlace.Provider value={foot}>
            <Box flex="1" minH="0" overflowY="auto" pl="14px" pr="28px" py="12px">
              <Slip {...props} />
            </Box>
          </FootPlace.Provider>
          <Box ref={setFoot} flexShrink="0" />
        </fieldset>
      </Box>
      <IconButton
        position="absolute"
        top="6px"
        right="1px"
        zIndex="3"
        size="2xs"
        minW="24px"
        w="24px"
        h="24px"
        variant="ghost"
        color="soft"
        aria-label="Fold the panel away"
        title="Fold the panel away"
        onClick={fold}
      >
        <ChevronsLeft size={13} />
      </IconButton>
    </Box>
  );
}
