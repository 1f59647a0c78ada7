import { Box, Button, Flex, NativeSelect, Text } from "@chakra-ui/react";
import { useEffect, useId, useState } from "react";
import { useEditor } from "../api/hooks";
import { CONTROL, numberIn } from "../editor/document/LayoutDocument";
import { lastLook, open, type Proposal } from "../api/seen";
import * as format from "../format";
import { useKept } from "../state";
import { Pick, Row } from "./carry/fields";
import { Check, Foot, MainButton, Running, running, Title } from "./parts";
import type { SlipProps } from "./props";

const KINDS: [Proposal["kind"], string][] = [["never", "Never seen"], ["below", "Seen from below only"], ["seldom", "Little of it seen"]];
const MOST = 40;
const WEIGHTS = [0.1, 0.25, 0.5, 0.75];

/** What nobody sees: how much of each island, and weights to accept, to change or to leave. */
export function SeenPart({ atlas, jobs, actions }: SlipProps) {
  const editor = useEditor("document", "figures", "view");
  const [views, setViews] = useKept<"around" | "above">("seen from", "around");
  const [alone, setAlone] = useKept("seen alone", false);
  const [both, setBoth] = useKept("seen both sides", false);
  const id = useId();
  const objects = (editor.document.info?.objects ?? []).map((one) => ({ id: one.id, islands: one.islands }));
  const look = lastLook(jobs, atlas, objects);
  const share = look?.share ?? null;
  useEffect(() => editor.showSeen(share), [editor, share]);
  const proposals = look ? open(look, (island) => (editor.document.control(island).flags & CONTROL.out ? 0 : editor.document.info?.controls.weight[island] ?? 1)) : new Map<Proposal["kind"], Proposal[]>();
  const many = [...proposals.values()].reduce((sum, rows) => sum + rows.length, 0);
  const accept = (rows: Proposal[], weight: number) => actions.control.mutate({ islands: rows.map((one) => one.island), weight });
  return (
    <>
      <Title note="Rays from all sides tell which islands are never looked at. They may have fewer texels, and all others more. Nothing is done unasked.">What nobody sees</Title>
      <Row label="Looked at" id={`${id}v`}><Pick id={`${id}v`} value={views} options={{ around: "from all around", above: "from above only" }} onChange={(v) => setViews(v as typeof views)} /></Row>
      <Check label="Each object without the others" value={alone} onChange={setAlone} />
      <Check label="Faces are seen from behind, too" value={both} onChange={setBoth} />
      {look && (
        <Box borderTopWidth="1px" borderColor="line" pt="1.5" mb="2" fontSize="12.5px" data-testid="looked-around">
          <Text mb="1">{many === 0 ? "All islands are seen, or have less weight already." : `${format.whole(many)} of ${format.whole(look.share.length)} islands are little seen; ${format.percent(look.freed)} % of the texels could go elsewhere.`}</Text>
          {editor.view.as !== "seen" && <Button size="2xs" variant="outline" borderColor="line" mb="1" onClick={() => editor.setView("seen")}>View as seen</Button>}
          {KINDS.map(([kind, title]) => proposals.get(kind) && <Kind key={kind} title={title} rows={proposals.get(kind)!} share={look.share} accept={accept} leaveOut={kind === "never" ? (rows) => actions.control.mutate({ islands: rows.map((one) => one.island), left_out: true }) : undefined} busy={actions.control.isPending} />)}
        </Box>
      )}
      <Foot>
        <MainButton disabled={!atlas.objects || running(jobs, "look around")} busy={actions.lookAround.isPending} onClick={() => actions.lookAround.mutate({ views, alone, both_sides: both })}>{look ? "Look again" : "Look around"}</MainButton>
        <Running jobs={jobs} kind="look around" actions={actions} />
      </Foot>
    </>
  );
}

type KindProps = { title: string; rows: Proposal[]; share: number[]; accept: (rows: Proposal[], weight: number) => void; leaveOut?: (rows: Proposal[]) => void; busy: boolean };

function Kind({ title, rows, share, accept, leaveOut, busy }: KindProps) {
  const editor = useEditor("selection");
  const [weight, setWeight] = useState(rows[0].weight);
  const named = (island: number) => { const object = editor.document.objectOf(island); return object ? `${object.name} · island ${numberIn(object, island)}` : ""; };
  const show = (islands: number[]) => { editor.select((selection) => selection.set(islands)); editor.frameSelection(); };
  return (
    <Box mb="1.5">
      <Flex align="center" gap="1.5">
        <Button size="2xs" variant="plain" px="0" justifyContent="flex-start" fontWeight="650" fontSize="12.5px" title="Pick them all" onClick={() => show(rows.map((one) => one.island))}>{title} ({format.whole(rows.length)})</Button>
      </Flex>
      <Box as="ul" listStyleType="none" maxH="112px" overflowY="auto">
        {rows.slice(0, MOST).map((one) => (
          <Flex as="li" key={one.island} align="center" gap="1" fontSize="12px">
            <Button size="2xs" variant="plain" px="0" h="20px" flex="1" minW="0" justifyContent="flex-start" fontWeight="400" fontSize="12px" onClick={() => show([one.island])}><Text truncate>{named(one.island)}</Text></Button>
            {one.kind !== "below" && <Text color="soft">{Math.round(100 * share[one.island])} %</Text>}
            <Button size="2xs" variant="ghost" h="20px" px="1" color="petrol" disabled={busy} onClick={() => accept([one], weight)} aria-label={`Give ${named(one.island)} a weight of ${weight}`}>accept</Button>
          </Flex>
        ))}
        {rows.length > MOST && <Text fontSize="12px" color="soft">and {format.whole(rows.length - MOST)} more</Text>}
      </Box>
      <Flex mt="1" gap="1.5" align="center">
        <NativeSelect.Root size="xs" w="78px" flexShrink="0"><NativeSelect.Field h="24px" px="1.5" aria-label={`Weight of what is ${title.toLowerCase()}`} value={weight} onChange={(e) => setWeight(Number(e.target.value))}>{WEIGHTS.map((value) => <option key={value} value={value}>{value} ×</option>)}</NativeSelect.Field><NativeSelect.Indicator /></NativeSelect.Root>
        <Button size="2xs" variant="outline" borderColor="petrol" color="petrol" disabled={busy} onClick={() => accept(rows, weight)}>Accept {rows.length > 1 ? `all ${format.whole(rows.length)}` : "it"}</Button>
        {leaveOut && <Button size="2xs" variant="outline" borderColor="line" px="1.5" disabled={busy} title="They get no texels at all: packing leaves them beside the sheets" onClick={() => leaveOut(rows)}>Leave out</Button>}
      </Flex>
    </Box>
  );
}
