import { Box, Button, Flex, Text } from "@chakra-ui/react";
import { Box as Cube, ChevronsRight, ChevronUp } from "lucide-react";
import { useEditor } from "../api/hooks";
import * as format from "../format";
import { CORNERS, useRoom, useRooms, type ModelPlace } from "../room";
import type { Stage } from "../state";
import { FramePanel } from "./FramePanel";
import { LateModel } from "./LateModel";

/** The panel folded to a tab at the edge. */
export function FoldedPanel({ stage, open }: { stage: Stage; open: () => void }) {
  return (
    <Button
      variant="outline"
      bg="panel"
      borderColor="line"
      w="30px"
      minW="30px"
      h="130px"
      mr="8px"
      px="0"
      flexDirection="column"
      gap="2"
      onClick={open}
      aria-label={`Unfold the panel: ${stage}`}
      title="Unfold the panel"
    >
      <ChevronsRight size={13} />
      <Text
        as="span"
        css={{ writingMode: "vertical-rl", transform: "rotate(180deg)" }}
        fontWeight="600"
        fontSize="12.5px"
      >
        {stage}
      </Text>
    </Button>
  );
}

/** What the model takes of the table's width where it floats, with its borders. */
export const FLOATING_PX = 246;

/** The model small in a corner of the table, or a button that brings it back. */
export function FloatingModel({
  away,
  stage,
  put,
  mayDock,
}: {
  away: boolean;
  stage: Stage;
  put: (model: ModelPlace) => void;
  /** Whether there is room beside the table. */
  mayDock: boolean;
}) {
  const change = useRooms((rooms) => rooms.change);
  const { corner } = useRoom(stage);
  const next = CORNERS[(CORNERS.indexOf(corner) + 1) % CORNERS.length];
  if (away)
    return (
      <Button
        size="2xs"
        variant="outline"
        bg="panel"
        borderColor="line"
        onClick={() => put("floating")}
      >
        <Cube size={13} /> Model
      </Button>
    );
  return (
    <Box w="236px" h="200px" display="grid" shadow="md" rounded="lg">
      <LateModel
        place={mayDock ? "floating" : "alone"}
        put={put}
        goOn={() => change(stage, { corner: next })}
      />
    </Box>
  );
}

/** The object list as a strip: how much there is, and how much of it is selected. */
export function ObjectListStrip({ open, numbers }: { open: () => void; numbers: boolean }) {
  const editor = useEditor("document", "selection", "view");
  const { info } = editor.document;
  const picked = editor.selection.list();
  const area = picked.reduce((sum, island) => sum + (info?.world_area[island] ?? 0), 0);
  return (
    <Flex
      bg="panel"
      borderTopWidth="1px"
      borderColor="line"
      h="30px"
      px="3"
      align="center"
      gap="4"
      fontSize="12px"
      color="soft"
      data-testid="object-list-strip"
    >
      <Button
        size="2xs"
        variant="ghost"
        onClick={open}
        aria-label="Unfold Objects"
        title="Objects and islands, with their density"
      >
        <ChevronUp size={14} /> Objects
      </Button>
      <Text>
        {format.whole(info?.objects.length ?? 0)}{" "}
        {info?.objects.length === 1 ? "object" : "objects"} ·{" "}
        {format.counted(info?.world_area.length ?? 0, "island")}
      </Text>
      <Text color="ink" fontWeight="600">
        {picked.length ? `${format.whole(picked.length)} selected · ${area.toPrecision(3)} m²` : ""}
      </Text>
      {numbers && <FramePanel />}
      <Text ml="auto" truncate>
        {format.houseBand(editor.view.houseBand)}
      </Text>
    </Flex>
  );
}
