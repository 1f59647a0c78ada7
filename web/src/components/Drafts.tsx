import { useAction } from "../api/actions/act";
import { Box, Button, Checkbox, CloseButton, Flex, Heading, Image, Text } from "@chakra-ui/react";
import { useState } from "react";
import { useDrafts, useDropDraft } from "../api/arrange";
import { fetchBytes, type Atlas, type Draft } from "../api/client";
import { useEditor } from "../api/hooks";
import * as format from "../format";
import { useLooked } from "../looked";
import { footOf, useRoom } from "../room";
import { tellError, useUi } from "../state";

/** The contact sheet: every draft with its image and figures. Compare two, lay one over the table, keep one. */
export function Drafts({ atlas }: { atlas: Atlas }) {
  const { drafts: open, setDrafts } = useUi();
  return open ? <Sheet atlas={atlas} close={() => setDrafts(false)} /> : null;
}

function Sheet({ atlas, close }: { atlas: Atlas; close: () => void }) {
  const keepDraftAction = useAction("keep-draft");
  const editor = useEditor("document");
  const room = useRoom(useUi((ui) => ui.stage));
  const drafts = useDrafts(atlas.id);
  const drop = useDropDraft();
  const [picked, setPicked] = useState<number[]>([]);
  const list = drafts.data ?? [];
  const two = picked.flatMap((id) => list.filter((d) => d.id === id));
  const pick = (id: number) =>
    setPicked(picked.includes(id) ? picked.filter((p) => p !== id) : [...picked, id].slice(-2));
  const overlay = (draft: Draft) => {
    fetchBytes(`/api/revisions/${draft.id}/placements/?v=${draft.digest}`).then((bytes) => {
      editor.overlay(new Float32Array(bytes));
      close();
    }, tellError);
  };
  const keep = (draft: Draft) => keepDraftAction.run(draft.id, close);
  const best = Math.max(...list.map((d) => d.coverage ?? 0));
  return (
    <Box
      role="dialog"
      aria-label="Drafts"
      position="fixed"
      top="96px"
      left={`${room.panel ? room.panelWidth + 22 : 50}px`}
      right="12px"
      bottom={`${footOf(room)}px`}
      zIndex="10"
      bg="panel"
      borderWidth="1px"
      borderColor="line"
      rounded="lg"
      shadow="lg"
      display="flex"
      flexDirection="column"
      onKeyDown={(e) => {
        if (e.key === "Escape") {
          e.stopPropagation();
          close();
        }
      }}
    >
      <Flex px="4" pt="3" pb="2" align="baseline" gap="3">
        <Heading as="h2" fontFamily="heading" fontSize="18px">
          Drafts
        </Heading>
        <Text color="soft">
          {list.length
            ? "Tick two to compare them side by side. Nothing is lost: a kept draft can be undone."
            : ""}
        </Text>
        <CloseButton size="xs" ml="auto" onClick={close} autoFocus />
      </Flex>
      {two.length === 2 && <Compare pair={two as [Draft, Draft]} />}
      <Flex wrap="wrap" gap="3" px="4" pb="4" overflowY="auto" align="flex-start">
        {list.map((draft) => (
          <Box
            key={draft.id}
            w="164px"
            position="relative"
            borderWidth="1px"
            borderColor={picked.includes(draft.id) ? "petrol" : "line"}
            rounded="md"
            p="2"
            bg="paper"
            color="#1F2A44"
            data-draft={draft.id}
          >
            <Image
              src={`/api/revisions/${draft.id}/thumbnail.png?v=${draft.digest}`}
              alt={`Draft ${draft.id}`}
              w="146px"
              h="146px"
              objectFit="contain"
              borderWidth="1px"
              borderColor="#D9CFBB"
              bg="#FFFEFA"
            />
            <Flex justify="space-between" mt="1">
              <Text fontWeight="700">
                {format.percent(draft.coverage ?? 0)} %
                {draft.coverage === best && list.length > 1 ? " · fullest" : ""}
              </Text>
              <Text color="#665E4E">{draft.seconds == null ? "" : `${draft.seconds} s`}</Text>
            </Flex>
            <Text fontSize="12px" color="#665E4E">
              {format.densityIn(draft.density)}
              {draft.left_over ? ` · ${draft.left_over} left over` : ""}
            </Text>
            <Text fontSize="12px" color="#665E4E" truncate title={settingsLine(draft)}>
              {settingsLine(draft)}
            </Text>
            <Flex gap="1" mt="1.5" wrap="wrap">
              <Button
                size="2xs"
                bg="#2E5E62"
                color="white"
                disabled={keepDraftAction.busy}
                onClick={() => keep(draft)}
              >
                Keep
              </Button>
              <Button
                size="2xs"
                variant="outline"
                color="#1F2A44"
                borderColor="#D9CFBB"
                title="Lay its outlines over the table"
                onClick={() => overlay(draft)}
              >
                Lay over
              </Button>
              <Button
                size="2xs"
                variant="outline"
                color="#1F2A44"
                borderColor="#D9CFBB"
                title="On the table and the model, with a wipe to the present layout"
                onClick={() => {
                  useLooked.getState().look(draft);
                  close();
                }}
              >
                Look
              </Button>
            </Flex>
            <Button
              position="absolute"
              top="10px"
              right="10px"
              size="2xs"
              px="1"
              minW="20px"
              h="20px"
              variant="outline"
              bg="#FFFEFA"
              color="#1F2A44"
              borderColor="#D9CFBB"
              title="Throw away"
              aria-label={`Throw draft ${draft.id} away`}
              onClick={() => drop.mutate(draft.id)}
            >
              ✕
            </Button>
            <Checkbox.Root
              size="sm"
              mt="1.5"
              checked={picked.includes(draft.id)}
              onCheckedChange={() => pick(draft.id)}
            >
              <Checkbox.HiddenInput />
              <Checkbox.Control borderColor="#665E4E" />
              <Checkbox.Label fontSize="12px" fontWeight="400" color="#1F2A44">
                compare
              </Checkbox.Label>
            </Checkbox.Root>
          </Box>
        ))}
        {drafts.isSuccess && !list.length && (
          <Text color="soft" py="6">
            No drafts yet. “Pack as draft” in the Arrange panel makes one and leaves the table as it
            is.
          </Text>
        )}
        {drafts.isError && (
          <Text role="alert" color="rose">
            {drafts.error.message}
          </Text>
        )}
      </Flex>
    </Box>
  );
}

const COMPARED = ["islands", "seam", "stretch", "turned"] as const;

/** Two drafts beside one another, and what differs. */
function Compare({ pair: [a, b] }: { pair: [Draft, Draft] }) {
  const rows: [string, string, string][] = [
    ["coverage", `${format.percent(a.coverage ?? 0)} %`, `${format.percent(b.coverage ?? 0)} %`],
    ["density", `${format.densityIn(a.density)}`, `${format.densityIn(b.density)}`],
    ["left over", String(a.left_over), String(b.left_over)],
    [
      "time",
      a.seconds == null ? "–" : `${a.seconds} s`,
      b.seconds == null ? "–" : `${b.seconds} s`,
    ],
    ...COMPARED.map((name): [string, string, string] => [
      name,
      String(flattened(a)?.[name] ?? "–"),
      String(flattened(b)?.[name] ?? "–"),
    ]).filter(([, left, right]) => left !== "–" || right !== "–"),
    ["settings", settingsLine(a), settingsLine(b)],
  ];
  return (
    <Flex
      px="4"
      pb="3"
      gap="4"
      align="center"
      borderBottomWidth="1px"
      borderColor="line"
      mb="3"
      flexShrink="0"
    >
      <Image
        src={`/api/revisions/${a.id}/thumbnail.png?v=${a.digest}`}
        alt="Left draft"
        h="150px"
        bg="#FFFEFA"
        borderWidth="1px"
        borderColor="line"
      />
      <Image
        src={`/api/revisions/${b.id}/thumbnail.png?v=${b.digest}`}
        alt="Right draft"
        h="150px"
        bg="#FFFEFA"
        borderWidth="1px"
        borderColor="line"
      />
      <Box flex="1" minW="0">
        {rows.map(([name, left, right]) => (
          <Flex key={name} gap="3" fontWeight={left === right ? "400" : "600"}>
            <Text w="64px" color="soft" fontWeight="400">
              {name}
            </Text>
            <Text flex="1" truncate title={left}>
              {left}
            </Text>
            <Text flex="1" truncate title={right}>
              {right}
            </Text>
          </Flex>
        ))}
      </Box>
    </Flex>
  );
}

type Params = {
  padding?: number;
  margin?: number;
  rotate?: string;
  effort?: string;
  tidy?: number;
  upright?: boolean;
  mirror?: boolean;
  density?: string | number;
  seed?: number;
};

type Flat = { islands: number; seam: number; stretch_l2: number; flipped: number };

/** What a try of flattening came to, over all its objects; null for a draft of a pack. */
function flattened(
  draft: Draft,
): { islands: number; seam: string; stretch: string; turned: number } | null {
  const objects = (draft.params as { figures?: Flat[] }).figures;
  if (!objects) return null;
  const most = (key: "seam" | "stretch_l2") => Math.max(...objects.map((o) => o[key]));
  const sum = (key: "islands" | "flipped") => objects.reduce((total, o) => total + o[key], 0);
  return {
    islands: sum("islands"),
    seam: most("seam").toFixed(1),
    stretch: most("stretch_l2").toFixed(3),
    turned: sum("flipped"),
  };
}

export function settingsLine(draft: Draft): string {
  const flat = flattened(draft);
  const { seams, verb } = draft.params as { seams?: string; verb?: string };
  if (flat)
    return `${verb ?? (seams ? `seams by ${seams}` : "unwrapped")}: ${flat.islands} ${flat.islands === 1 ? "island" : "islands"}, seam ${flat.seam}, stretch ${flat.stretch}, ${flat.turned} turned`;
  const p = draft.params as Params;
  const words = [
    `${p.rotate} turns`,
    `padding ${p.padding} px`,
    String(p.effort),
    p.tidy
      ? `tidy ${Math.round(100 * p.tidy)} %${draft.tidy_cost == null ? "" : ` (costs ${format.percent(draft.tidy_cost)} % of coverage)`}`
      : "",
    p.upright ? "upright" : "",
    p.mirror ? "mirroring" : "",
    p.density === "fixed" || p.density === "house" ? "fixed size" : "",
    p.seed !== 1 ? `seed ${p.seed}` : "",
  ];
  return words.filter(Boolean).join(", ");
}
