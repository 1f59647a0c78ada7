import { Box, Button, Flex, Text } from "@chakra-ui/react";
import { useEditor } from "../api/hooks";
import { numberIn } from "../editor/document/LayoutDocument";
import * as format from "../format";

const MOST = 60;

/** An island that may have another weight. */
export type ProposedRow = { island: number; weight: number; told: string; hint?: string };

/** Selects islands and brings them into sight. */
export function useShown() {
  const editor = useEditor("selection");
  return (islands: number[]) => {
    editor.select((selection) => selection.set(islands));
    editor.frameSelection();
  };
}

type Props = {
  rows: ProposedRow[];
  high: string;
  busy: boolean;
  accept: (island: number) => void;
};

/** Islands with the weight that is proposed for each, one to a line: to look at, and to accept. */
export function IslandRows({ rows, high, busy, accept }: Props) {
  const editor = useEditor("selection");
  const show = useShown();
  const named = (island: number) => {
    const object = editor.document.objectOf(island);
    return object ? `${object.name} · island ${numberIn(object, island)}` : "";
  };
  return (
    <Box maxH={high} overflowY="auto" tabIndex={0}>
      <ul style={{ listStyle: "none" }}>
        {rows.slice(0, MOST).map(({ island, weight, told, hint }) => (
          <Flex as="li" key={island} align="center" gap="1" fontSize="12px">
            <Button
              size="2xs"
              variant="plain"
              px="0"
              h="24px"
              flex="1"
              minW="0"
              justifyContent="flex-start"
              fontWeight="400"
              fontSize="12px"
              title={hint}
              onClick={() => show([island])}
            >
              <Text truncate>{named(island)}</Text>
            </Button>
            <Text color="soft" flexShrink="0">
              {told}
            </Text>
            <Button
              size="2xs"
              variant="ghost"
              h="24px"
              px="1"
              color="petrol"
              disabled={busy}
              onClick={() => accept(island)}
              aria-label={`Accept a weight of ${Number(weight.toPrecision(2))} for ${named(island)}`}
            >
              accept
            </Button>
          </Flex>
        ))}
      </ul>
      {rows.length > MOST && (
        <Text fontSize="12px" color="soft">
          and {format.whole(rows.length - MOST)} more
        </Text>
      )}
    </Box>
  );
}
