import { Box, Button, Flex, IconButton, Popover, Portal, Text, Textarea } from "@chakra-ui/react";
import { MessageSquare } from "lucide-react";
import { useState } from "react";
import type { Project } from "../api/client";
import { useEditor } from "../api/hooks";
import { useNotes, type Note } from "../api/live";
import { useMe } from "../api/people";
import { numberIn } from "../editor/document/LayoutDocument";
import * as format from "../format";
import { editor } from "../state";

/** Notes about islands, objects, findings and the atlas: said, answered, closed. */
export function Notes({ project, atlas }: { project: Project; atlas: number }) {
  const accounts = useMe().data?.accounts ?? false;
  const { notes, say, close, takeBack } = useNotes(project, accounts);
  const [closed, showClosed] = useState(false);
  if (!accounts) return null;
  const open = notes.filter((note) => !note.answers && !note.closed);
  const shown = notes.filter((note) => !note.answers && (closed || !note.closed));
  return (
    <Popover.Root positioning={{ placement: "bottom-end" }} lazyMount>
      <Popover.Trigger asChild>
        <IconButton
          aria-label={`Notes to one another${open.length ? `, ${open.length} open` : ""}`}
          title="Notes to one another"
          size="xs"
          variant="ghost"
          position="relative"
        >
          <MessageSquare />
          {open.length > 0 && (
            <Box
              position="absolute"
              top="-2px"
              right="-2px"
              minW="15px"
              h="15px"
              rounded="full"
              bg="petrol"
              color="onPetrol"
              fontSize="10px"
              lineHeight="15px"
              textAlign="center"
            >
              {open.length}
            </Box>
          )}
        </IconButton>
      </Popover.Trigger>
      <Portal>
        <Popover.Positioner>
          <Popover.Content bg="panel" w="340px" maxH="70vh">
            <Popover.Body p="3" overflowY="auto" data-testid="notes">
              <Write atlas={atlas} say={(body) => say.mutate(body)} busy={say.isPending} />
              {shown.map((note) => (
                <One
                  key={note.id}
                  note={note}
                  answers={notes.filter((one) => one.answers === note.id)}
                  answer={(text) => say.mutate({ text, answers: note.id })}
                  close={(to) => close.mutate({ note_id: note.id, closed: to })}
                  drop={() => takeBack.mutate(note.id)}
                />
              ))}
              {notes.some((note) => note.closed) && (
                <Button
                  size="2xs"
                  variant="plain"
                  px="0"
                  color="petrol"
                  onClick={() => showClosed(!closed)}
                >
                  {closed ? "Without closed ones" : "Closed ones, too"}
                </Button>
              )}
            </Popover.Body>
          </Popover.Content>
        </Popover.Positioner>
      </Portal>
    </Popover.Root>
  );
}

/** A new note, about the finding that is looked at, else what is selected, else the atlas. */
function Write({
  atlas,
  say,
  busy,
}: {
  atlas: number;
  say: (body: {
    text: string;
    atlas: number;
    kind: "island" | "object" | "finding" | "atlas";
    object?: number;
    island?: number;
    finding?: string;
  }) => void;
  busy: boolean;
}) {
  const editor = useEditor("selection", "figures");
  const [text, setText] = useState("");
  const picked = editor.selection.list();
  const finding = editor.figures.finding;
  const object = picked.length ? editor.document.objectOf(picked[0]) : undefined;
  const one = object && picked.length === 1;
  const about = finding
    ? `the finding: ${finding.kind}, ${finding.object}`
    : one
      ? `${object.name}, island ${numberIn(object, picked[0])}`
      : object
        ? object.name
        : "the atlas";
  const send = () => {
    if (!text.trim()) return;
    if (finding) say({ text, atlas, kind: "finding", finding: finding.key });
    else if (one)
      say({
        text,
        atlas,
        kind: "island",
        object: object.id,
        island: numberIn(object, picked[0]) - 1,
      });
    else if (object) say({ text, atlas, kind: "object", object: object.id });
    else say({ text, atlas, kind: "atlas" });
    setText("");
  };
  return (
    <Box mb="3">
      <Text fontSize="12px" color="soft" mb="1">
        About {about}
      </Text>
      <Textarea
        size="xs"
        rows={2}
        aria-label="A new note"
        placeholder="What should the others know?"
        value={text}
        maxLength={4000}
        onChange={(e) => setText(e.target.value)}
        onKeyDown={(e) => {
          if (e.key === "Enter" && (e.ctrlKey || e.metaKey)) send();
        }}
      />
      <Button
        size="2xs"
        mt="1"
        bg="petrol"
        color="onPetrol"
        disabled={!text.trim()}
        loading={busy}
        onClick={send}
      >
        Say it
      </Button>
    </Box>
  );
}

/** Pick what a note is about. */
function show(note: Note): void {
  const object = editor.document.info?.objects.find((one) => one.id === note.object);
  if (!object) return;
  const islands = Array.from({ length: object.islands }, (_, k) => object.first_island + k);
  editor.select((selection) =>
    selection.set(
      islands.filter((island) => note.island < 0 || numberIn(object, island) - 1 === note.island),
    ),
  );
  editor.frameSelection();
}

function One({
  note,
  answers,
  answer,
  close,
  drop,
}: {
  note: Note;
  answers: Note[];
  answer: (text: string) => void;
  close: (to: boolean) => void;
  drop: () => void;
}) {
  const [text, setText] = useState<string | null>(null);
  return (
    <Box
      borderTopWidth="1px"
      borderColor="line"
      py="2"
      opacity={note.closed ? 0.6 : 1}
      data-note={note.id}
    >
      <Flex justify="space-between" fontSize="12px" color="soft">
        <Text fontWeight="650" color="ink">
          {note.author}
        </Text>
        <Text>{format.moment(note.created)}</Text>
      </Flex>
      <Text whiteSpace="pre-wrap" overflowWrap="anywhere">
        {note.text}
      </Text>
      {answers.map((one) => (
        <Box key={one.id} ms="3" mt="1" ps="2" borderLeftWidth="2px" borderColor="line">
          <Text fontSize="12px" color="soft">
            {one.author}
          </Text>
          <Text whiteSpace="pre-wrap" overflowWrap="anywhere">
            {one.text}
          </Text>
        </Box>
      ))}
      <Flex gap="1" mt="1">
        {note.object && (
          <Button size="2xs" variant="ghost" px="1" color="petrol" onClick={() => show(note)}>
            show
          </Button>
        )}
        <Button
          size="2xs"
          variant="ghost"
          px="1"
          color="petrol"
          onClick={() => setText(text === null ? "" : null)}
        >
          answer
        </Button>
        <Button
          size="2xs"
          variant="ghost"
          px="1"
          color="petrol"
          onClick={() => close(!note.closed)}
        >
          {note.closed ? "open again" : "close"}
        </Button>
        {note.mine && (
          <Button size="2xs" variant="ghost" px="1" color="petrol" onClick={drop}>
            delete
          </Button>
        )}
      </Flex>
      {text !== null && (
        <Flex gap="1" mt="1">
          <Textarea
            size="xs"
            rows={1}
            autoFocus
            aria-label="Answer"
            value={text}
            maxLength={4000}
            onChange={(e) => setText(e.target.value)}
          />
          <Button
            size="2xs"
            bg="petrol"
            color="onPetrol"
            disabled={!text.trim()}
            onClick={() => {
              answer(text);
              setText(null);
            }}
          >
            Say it
          </Button>
        </Flex>
      )}
    </Box>
  );
}
