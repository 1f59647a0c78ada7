import { useAction } from "../../api/actions/act";
import { Box, Button, Flex, Text } from "@chakra-ui/react";
import { useEditor } from "../../api/hooks";
import { pieces } from "../../editor/surfaceMesh/pieces";
import type { Editor } from "../../editor/Editor";
import * as format from "../../format";
import { useKept, useUi } from "../../state";
import { Check, Foot, MainButton, Range, running, Title } from "../parts";
import type { PanelProps } from "../props";
import { EdgeTools, objectsInHand, pickedLength, PickedLine } from "./PickRow";

/** Seams by hand: draw them on model or table, hear what they make, flatten along them. */
export function SeamsPage({ jobs }: PanelProps) {
  const editAction = useAction("edit");
  const editor = useEditor("picks", "document", "selection");
  const [keep, setKeep] = useKept("keep seams", true);
  const [balance, setBalance] = useKept("balance", 0.5);
  const { picks } = editor;
  const busy = running(jobs, "edit");
  const drawn = picks.count("edges");
  const faces = picks.count("faces");
  const told = drawn ? outlook(editor, keep) : null;
  const objects = objectsInHand(editor);
  // Of an object that has no islands yet all is flattened, whatever the drawn seams touch.
  const bare = new Set(
    (editor.document.info?.objects ?? []).filter((o) => o.islands === 0).map((o) => o.id),
  );
  const run = (draft: boolean) =>
    editAction.run({
      verb: "unwrap along",
      keep,
      balance,
      draft,
      // Without drawn seams selected faces or islands are flattened anew as they are.
      ...(drawn
        ? { objects: picks.sent().map((own) => ({ ...own, faces: [], whole: bare.has(own.id) })) }
        : faces
          ? { objects: picks.sent() }
          : { islands: editor.selection.list() }),
    });
  return (
    <>
      <Title note="Take edges or a path from the toolbar at the table, then click along the model. A double click takes a loop, a drag on the table a box.">
        Seams by hand
      </Title>
      <PickedLine />
      <EdgeTools />
      <Check label="Keep the seams there are" value={keep} onChange={setKeep} />
      <Check
        label="Loops run on through seams"
        value={picks.through}
        onChange={(through) => picks.set({ through })}
      />
      <Range label="Keep" value={balance} left="angles" right="areas" onChange={setBalance} />
      {told && (
        <Box
          borderWidth="1px"
          borderStyle="dashed"
          borderColor="line"
          rounded="md"
          px="2"
          py="1.5"
          mb="2"
          fontSize="12.5px"
          data-testid="outlook"
          role="status"
        >
          <Text fontWeight="600">
            {format.whole(told.before)} → {format.whole(told.islands)}{" "}
            {told.islands === 1 ? "island" : "islands"}
          </Text>
          <Text color={told.flat < told.islands ? "amber" : "soft"}>
            {told.flat === told.islands
              ? told.islands === 1
                ? "It can lie flat."
                : "All can lie flat."
              : `${told.islands - told.flat} of them ${told.islands - told.flat === 1 ? "closes on itself: it" : "close on themselves: they"} will be cut further.`}
          </Text>
          <Text color="soft">
            {format.whole(drawn)} {drawn === 1 ? "edge" : "edges"},{" "}
            {pickedLength(editor).toPrecision(3)} units long
          </Text>
        </Box>
      )}
      <Foot>
        <MainButton
          disabled={busy || (!drawn && !faces && !editor.selection.size)}
          busy={editAction.busy}
          onClick={() => run(false)}
        >
          {drawn
            ? "Unwrap along them"
            : faces
              ? `Unwrap ${format.whole(faces)} ${faces === 1 ? "face" : "faces"} anew`
              : `Unwrap ${editor.selection.size || ""} ${editor.selection.size === 1 ? "island" : "islands"} anew`}
        </MainButton>
        <Flex gap="2" mt="1.5">
          <Button
            flex="1"
            size="xs"
            variant="outline"
            borderColor="line"
            disabled={busy || !drawn}
            onClick={() => editAction.run({ verb: "cut", objects: picks.sent() })}
            title="Cut the islands along them; shapes stay as they are"
          >
            Cut
          </Button>
          <Button
            flex="1"
            size="xs"
            variant="outline"
            borderColor="line"
            disabled={busy || !drawn}
            onClick={() => editAction.run({ verb: "join", objects: picks.sent() })}
            title="Join along these seams: the smaller island comes over"
          >
            Join
          </Button>
          <Button
            flex="1"
            size="xs"
            variant="outline"
            borderColor="line"
            disabled={busy || !objects.length}
            onClick={() => run(true)}
            title="Beside the present layout, to compare"
          >
            As a draft
          </Button>
          <Button
            flex="1"
            size="xs"
            variant="outline"
            borderColor="line"
            onClick={() => useUi.getState().setDrafts(true)}
          >
            Drafts…
          </Button>
        </Flex>
      </Foot>
    </>
  );
}

/** Islands before and after, and how many of these can lie flat, of the islands that the drawn seams touch. */
function outlook(
  editor: Editor,
  keep: boolean,
): { before: number; islands: number; flat: number } | null {
  const out = { before: 0, islands: 0, flat: 0 };
  for (const id of editor.picks.objects()) {
    const surface = editor.picks.surface(id);
    const own = editor.picks.of(id).edges;
    if (!surface || !own.size) continue;
    const islands = new Set(
      [...own].flatMap((edge) =>
        surface.halves[edge].filter((h) => h >= 0).map((h) => surface.island(Math.floor(h / 3))),
      ),
    );
    out.before += [...islands].filter((island) => island >= 0).length;
    const found = pieces(surface, own, keep, islands);
    out.islands += found.islands;
    out.flat += found.flat;
  }
  return out.islands ? out : null;
}
