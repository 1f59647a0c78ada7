import { Box, IconButton } from "@chakra-ui/react";
import { ChevronsLeft } from "lucide-react";
import { useState } from "react";
import { useLooked } from "../looked";
import { useUi } from "../state";
import { ArrangePanel } from "../panels/ArrangePanel";
import { MergePanel } from "../panels/merge/MergePanel";
import { EvenOutPanel } from "../panels/EvenOutPanel";
import { GatherPanel } from "../panels/GatherPanel";
import { UnwrapPanel } from "../panels/unwrap/UnwrapPanel";
import { HandOffPanel } from "../panels/HandOffPanel";
import { FootPlace } from "../panels/parts";
import { CheckPanel } from "../panels/CheckPanel";
import type { PanelProps } from "../panels/props";

const SLIPS = {
  Gather: GatherPanel,
  Unwrap: UnwrapPanel,
  "Even out": EvenOutPanel,
  Arrange: ArrangePanel,
  Merge: MergePanel,
  Check: CheckPanel,
  "Hand off": HandOffPanel,
};

/** The panel of paper that says what can be done at this stage. */
export function TaskPanel({ fold, ...props }: PanelProps & { fold?: () => void }) {
  const looked = useLooked((state) => state.draft);
  const Panel = SLIPS[useUi((ui) => ui.stage)];
  const [foot, setFoot] = useState<HTMLElement | null>(null);
  return (
    <Box position="relative" display="grid" minH="0">
      <Box
        as="section"
        aria-label="Task"
        display="flex"
        flexDirection="column"
        bg="panel"
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
              <Panel {...props} />
            </Box>
          </FootPlace.Provider>
          <Box ref={setFoot} flexShrink="0" />
        </fieldset>
      </Box>
      {fold && (
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
      )}
    </Box>
  );
}
