import { Box, Button } from "@chakra-ui/react";
import { useEditor } from "../api/hooks";
import type { Picked } from "../editor/picks/PicksManager";
import { DRAGS, PICKED } from "../editor/picks/PicksManager";

const LABELS: Record<Picked, string> = {
  islands: "Islands",
  faces: "Faces",
  edges: "Edges",
  path: "Path",
  vertices: "Vertices",
};
const HINTS: Record<Picked, string> = {
  islands: "Whole islands",
  faces: "Faces; a double click takes the smooth surface round one, a drag draws a box, Shift adds",
  edges: "Edges; each click draws one or takes it away, a double click takes its loop",
  path: "A path of edges from vertex to vertex, the shortest way along creases; Escape ends it",
  vertices: "Vertices; drag selected ones on the table to move them",
};

const DRAG_HINTS: Record<(typeof DRAGS)[number], string> = {
  box: "A drag on the table draws a box",
  lasso: "A drag on the table draws a line round what is selected",
  brush:
    "A drag on the table selects what it passes over, on top of what is selected; Ctrl lets go of it",
};

/** What a click selects, on the model and the table. */
export function PickToolbar() {
  const editor = useEditor("picks");
  const { picks } = editor;
  return (
    <Box
      data-over-table
      role="toolbar"
      aria-label="What is selected"
      position="absolute"
      left="6px"
      top="6px"
      maxW="calc(100% - 12px)"
      display="flex"
      flexWrap="wrap"
      gap="1px"
      bg="straw/70"
      borderWidth="1px"
      borderColor="straw"
      rounded="md"
      p="3px"
      shadow="sm"
    >
      {PICKED.map((mode) => {
        const on = picks.mode === mode;
        return (
          <Button
            key={mode}
            size="2xs"
            variant="ghost"
            h="26px"
            px="2"
            fontSize="11.5px"
            fontWeight={on ? "700" : "600"}
            bg={on ? "ink" : "transparent"}
            color={on ? "panel" : "ink"}
            _hover={{ bg: on ? "ink" : "straw" }}
            aria-pressed={on}
            title={HINTS[mode]}
            onClick={() => picks.use(mode)}
          >
            {LABELS[mode]}
          </Button>
        );
      })}
      {picks.mode !== "islands" && (
        <Box
          role="radiogroup"
          aria-label="What a drag does"
          display="flex"
          borderLeftWidth="1px"
          borderColor="ink/30"
          ml="2px"
          pl="3px"
        >
          {DRAGS.map((drag) => {
            const on = picks.drag === drag;
            return (
              <Button
                key={drag}
                size="2xs"
                variant="ghost"
                h="26px"
                px="2"
                fontSize="11px"
                fontWeight={on ? "700" : "500"}
                bg={on ? "petrol" : "transparent"}
                color={on ? "onPetrol" : "ink"}
                _hover={{ bg: on ? "petrol" : "straw" }}
                role="radio"
                aria-checked={on}
                title={DRAG_HINTS[drag]}
                onClick={() => picks.set({ drag })}
              >
                {drag.charAt(0).toUpperCase() + drag.slice(1)}
              </Button>
            );
          })}
        </Box>
      )}
    </Box>
  );
}
