import { useAction } from "../api/actions/act";
import { Box, Button, Flex, Image, Slider, Table, Text } from "@chakra-ui/react";
import { useEffect } from "react";
import type { Draft } from "../api/client";
import * as format from "../format";
import { useLooked, type View } from "../looked";
import { editor } from "../state";
import { settingsLine } from "./Drafts";

/** The layout as it was, over the part of a view left of the wipe. */
export function Before({ view }: { view: View }) {
  const image = useLooked((looked) => looked.before[view]);
  const share = useLooked((looked) => looked.share);
  if (!image) return null;
  return (
    <Box position="absolute" inset="0" pointerEvents="none" data-testid={`before-${view}`}>
      <Image
        src={image}
        alt=""
        w="100%"
        h="100%"
        style={{ clipPath: `inset(0 ${(1 - share) * 100}% 0 0)` }}
        bg={view === "table" ? "cloth" : "panel"}
      />
      <Box position="absolute" top="0" bottom="0" left={`${share * 100}%`} w="2px" bg="ink" />
    </Box>
  );
}

/** While a try is shown: what it is, the wipe, keep it or go back. Nothing else can be done meanwhile. */
export function LookedAt() {
  const keepDraftAction = useAction("keep-draft");
  const { draft, share, setShare, end, moved, before } = useLooked();
  useEffect(() => end, [end]);
  useEffect(() => {
    if (!draft) return;
    const { x, y, scale } = editor.camera;
    return editor.signal("frames").subscribe(() => {
      if (editor.camera.x !== x || editor.camera.y !== y || editor.camera.scale !== scale)
        moved("table");
    });
  }, [draft, moved]);
  if (!draft) return null;
  const wipes = before.table !== undefined || before.model !== undefined;
  return (
    <Box
      role="dialog"
      aria-label="A draft"
      position="fixed"
      bottom="40px"
      left="50%"
      transform="translateX(-50%)"
      w="560px"
      maxW="90vw"
      zIndex="11"
      bg="panel"
      borderWidth="1px"
      borderColor="petrol"
      rounded="lg"
      shadow="lg"
      px="4"
      py="2.5"
    >
      <Flex align="center" gap="3">
        <Box flex="1" minW="0">
          <Text fontWeight="650">You look at a draft</Text>
          <Text color="soft" fontSize="12px" truncate title={settingsLine(draft)}>
            {settingsLine(draft)}
          </Text>
        </Box>
        <Button size="xs" variant="outline" borderColor="line" autoFocus onClick={end}>
          Back
        </Button>
        <Button
          size="xs"
          bg="petrol"
          color="onPetrol"
          disabled={keepDraftAction.busy}
          onClick={() => keepDraftAction.run(draft.id, end)}
        >
          Keep it
        </Button>
      </Flex>
      <Figures draft={draft} />
      <Slider.Root
        size="sm"
        mt="1"
        min={0}
        max={1}
        step={0.01}
        value={[share]}
        disabled={!wipes}
        onValueChange={(e) => setShare(e.value[0])}
        aria-label={["Wipe between the layout before and the draft"]}
      >
        <Slider.Control>
          <Slider.Track bg="line">
            <Slider.Range bg="petrol" />
          </Slider.Track>
          <Slider.Thumb index={0} bg="panel" borderColor="petrol" />
        </Slider.Control>
        <Flex justify="space-between" color="soft" fontSize="12px">
          <Text>before, to the left</Text>
          <Text>
            {wipes ? "the draft, to the right" : "the view has moved: only the draft is shown"}
          </Text>
        </Flex>
      </Slider.Root>
    </Box>
  );
}

type Row = {
  islands: number;
  seam: number;
  stretch_l2: number;
  stretch_p95: number;
  flipped: number;
};

/** Figures of the layout before and of the try, over its objects. */
function Figures({ draft }: { draft: Draft }) {
  const rows = (draft.params as { figures?: (Row & { was?: Row | null })[] }).figures ?? [];
  const known = rows.flatMap((row) => (row.was ? [row.was] : []));
  if (!rows.length) return null;
  const sums = (of: Row[]) =>
    of.length
      ? [
          format.whole(of.reduce((sum, row) => sum + row.islands, 0)),
          Math.max(...of.map((row) => row.seam)).toFixed(2),
          Math.max(...of.map((row) => row.stretch_l2)).toFixed(3),
          Math.max(...of.map((row) => row.stretch_p95)).toFixed(2),
          format.whole(of.reduce((sum, row) => sum + row.flipped, 0)),
        ]
      : ["–", "–", "–", "–", "–"];
  return (
    <Table.Root
      size="sm"
      variant="line"
      mt="1"
      fontSize="12px"
      css={{ "& tr, & th, & td": { bg: "transparent", px: "6px", py: "1px", borderColor: "line" } }}
    >
      <Table.Header>
        <Table.Row>
          {["", "islands", "seam", "stretch L2", "95 % below", "turned faces"].map((name, k) => (
            <Table.ColumnHeader
              key={name}
              color="soft"
              fontWeight="400"
              textAlign={k ? "end" : "start"}
            >
              {name}
            </Table.ColumnHeader>
          ))}
        </Table.Row>
      </Table.Header>
      <Table.Body>
        {(
          [
            ["before", sums(known)],
            ["this draft", sums(rows)],
          ] as const
        ).map(([name, values]) => (
          <Table.Row key={name}>
            <Table.Cell color="soft">{name}</Table.Cell>
            {values.map((value, k) => (
              <Table.Cell key={k} textAlign="end">
                {value}
              </Table.Cell>
            ))}
          </Table.Row>
        ))}
      </Table.Body>
    </Table.Root>
  );
}
