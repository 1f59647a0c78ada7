import { CONTROLS } from "../editor/flags.generated";
import { useAction } from "../api/actions/act";
import { Box, Button, Flex, NativeSelect, Text } from "@chakra-ui/react";
import { useEffect, useId, useMemo, useState } from "react";
import { useEditor } from "../api/hooks";
import { lastLook, open, type Look, type Proposal } from "../api/visibility";
import * as format from "../format";
import { editor, useKept } from "../state";
import { Pick, Row } from "./merge/fields";
import { Check, Foot, MainButton, NumberField, Running, running, Title } from "./parts";
import { IslandRows, useShown } from "./IslandRows";
import { MoreOptions, useMore } from "./MoreOptions";
import type { PanelProps } from "./props";

const KINDS: [Proposal["kind"], string][] = [
  ["never", "Never visible"],
  ["below", "Visible from below only"],
  ["seldom", "Little of it visible"],
];
const SHOWN = ["views", "cameras", "near", "far", "alone", "both_sides", "screen"];
type Views = "around" | "above" | "band" | "cameras";
const WEIGHTS = [0.1, 0.25, 0.5, 0.75];

/** Visibility: how much of each island is ever visible, and weights to accept, to change or to leave. */
export function VisibilityPart({ atlas, jobs }: PanelProps) {
  const controlAction = useAction("control");
  const visibilityAction = useAction("visibility");
  const editor = useEditor("document", "figures", "view");
  const [views, setViews] = useKept<Views>("seen from", "around");
  const [cameras, setCameras] = useKept<[number, number, number][]>(`seen cameras ${atlas.id}`, []);
  const [band, setBand] = useKept("seen band", { near: 1, far: 4 });
  const [screen, setScreen] = useKept("seen screen", 1080);
  const [alone, setAlone] = useKept("seen alone", false);
  const [both, setBoth] = useKept("seen both sides", false);
  const rest = useMore("visibility", SHOWN);
  const id = useId();
  const objects = (editor.document.info?.objects ?? []).map((one) => ({
    id: one.id,
    islands: one.islands,
  }));
  const job = jobs.find(
    (one) => one.kind === "visibility" && one.state === "done" && one.atlas === atlas.id,
  )?.id;
  // The same as long as it is of the same job and about the same islands.
  const look = useMemo(() => lastLook(jobs, atlas, objects), [job, JSON.stringify(objects)]); // eslint-disable-line react-hooks/exhaustive-deps
  const share = look?.share ?? null;
  useEffect(() => editor.showVisibility(share), [editor, share]);
  const proposals = look
    ? open(look, (island) =>
        editor.document.control(island).flags & CONTROLS.leave_out
          ? 0
          : (editor.document.info?.controls.weight[island] ?? 1),
      )
    : new Map<Proposal["kind"], Proposal[]>();
  const stacked = editor.document.info?.controls.stack ?? [];
  const stacks = (look?.stacks ?? []).filter(
    (rows) =>
      !rows.every((island) => (stacked[island] ?? -1) >= 0 && stacked[island] === stacked[rows[0]]),
  );
  const many = [...proposals.values()].reduce((sum, rows) => sum + rows.length, 0);
  const accept = (rows: Proposal[], weight: number) =>
    controlAction.run({ islands: rows.map((one) => one.island), weight });
  return (
    <>
      <Title note="Rays from all sides tell which islands are never visible. They may have fewer texels, and all others more. Nothing is done unasked.">
        Visibility
      </Title>
      <Row label="Views" id={`${id}v`}>
        <Pick
          id={`${id}v`}
          value={views}
          options={{
            around: "from all around",
            above: "from above only",
            band: "by who stands near",
            cameras: "from some places",
          }}
          onChange={(v) => setViews(v as Views)}
        />
      </Row>
      {views === "band" && (
        <>
          <NumberField
            label="From"
            unit="m"
            value={band.near}
            min={0.001}
            max={1e6}
            step={0.5}
            onChange={(near) => setBand({ near, far: Math.max(near, band.far) })}
          />
          <NumberField
            label="To"
            unit="m"
            value={band.far}
            min={0.001}
            max={1e6}
            step={0.5}
            onChange={(far) => setBand({ near: Math.min(far, band.near), far })}
          />
        </>
      )}
      {views === "cameras" && <Places places={cameras} change={setCameras} />}
      <NumberField
        label="Screen is high"
        unit="px"
        value={screen}
        min={100}
        max={20000}
        step={120}
        onChange={setScreen}
      />
      <Check label="Each object without the others" value={alone} onChange={setAlone} />
      <Check label="Faces are visible from behind, too" value={both} onChange={setBoth} />
      <MoreOptions operation="visibility" shown={SHOWN} />
      {look && (
        <Box
          borderTopWidth="1px"
          borderColor="line"
          pt="1.5"
          mb="2"
          fontSize="12.5px"
          data-testid="looked-around"
        >
          <Text mb="1">
            {many === 0
              ? "All islands are visible, or have less weight already."
              : `${format.whole(many)} of ${format.whole(look.share.length)} islands are little visible; ${format.percent(look.freed)} % of the texels could go elsewhere.`}
          </Text>
          {stacks.length > 0 && (
            <Flex align="center" gap="1.5" mb="1.5">
              <Text flex="1" fontSize="12px" lineHeight="1.3">
                {stacks.length === 1
                  ? "One shape that nobody sees"
                  : `${stacks.length} shapes that nobody sees`}{" "}
                may share texels with another like {stacks.length === 1 ? "it" : "them"}.
              </Text>
              <Button
                size="2xs"
                variant="outline"
                borderColor="petrol"
                color="petrol"
                disabled={controlAction.busy}
                title="They lie on one another from now on, and take no texels of their own"
                onClick={() => controlAction.run({ islands: [], stacks })}
              >
                Stack {stacks.reduce((sum, rows) => sum + rows.length, 0)}
              </Button>
            </Flex>
          )}
          {editor.view.as !== "visibility" && (
            <Button
              size="2xs"
              variant="outline"
              borderColor="line"
              mb="1"
              onClick={() => editor.setView("visibility")}
            >
              View as visibility
            </Button>
          )}
          <Picked look={look} />
          {KINDS.map(
            ([kind, title]) =>
              proposals.get(kind) && (
                <Kind
                  key={kind}
                  title={title}
                  rows={proposals.get(kind)!}
                  share={look.share}
                  accept={accept}
                  leaveOut={
                    kind === "never"
                      ? (rows) =>
                          controlAction.run({
                            islands: rows.map((one) => one.island),
                            leave_out: true,
                          })
                      : undefined
                  }
                  busy={controlAction.busy}
                />
              ),
          )}
        </Box>
      )}
      <Foot>
        <MainButton
          disabled={
            !atlas.objects ||
            running(jobs, "visibility") ||
            (views === "cameras" && !cameras.length)
          }
          busy={visibilityAction.busy}
          onClick={() =>
            visibilityAction.run({
              ...rest,
              views,
              alone,
              both_sides: both,
              cameras: views === "cameras" ? cameras : [],
              ...(views === "band" ? band : {}),
              screen,
            })
          }
        >
          {look ? "Measure again" : "Measure visibility"}
        </MainButton>
        <Running jobs={jobs} kind="visibility" />
      </Foot>
    </>
  );
}

/** Places that the set is looked at from. */
function Places({
  places,
  change,
}: {
  places: [number, number, number][];
  change: (places: [number, number, number][]) => void;
}) {
  return (
    <Box mb="1.5" role="group" aria-label="Places to look from">
      {places.map((place, k) => (
        <Flex key={k} align="center" justify="space-between" fontSize="12px">
          <Text>
            {k + 1}: {place.map((value) => value.toFixed(2)).join(", ")} m
          </Text>
          <Button
            size="2xs"
            variant="ghost"
            h="20px"
            px="1"
            aria-label={`Without place ${k + 1}`}
            onClick={() => change(places.filter((_, n) => n !== k))}
          >
            ×
          </Button>
        </Flex>
      ))}
      <Button
        size="2xs"
        variant="outline"
        borderColor="petrol"
        color="petrol"
        disabled={places.length >= 64}
        title="Turn the model until it looks as players see it, then press here"
        onClick={() =>
          change([
            ...places,
            editor.view.eye.map((value) => Math.round(1000 * value) / 1000) as [
              number,
              number,
              number,
            ],
          ])
        }
      >
        Add where I look from now
      </Button>
    </Box>
  );
}

/** What was found out about the island that is selected. */
function Picked({ look }: { look: Look }) {
  const editor = useEditor("selection");
  const [island] = editor.selection.list();
  if (editor.selection.size !== 1 || island >= look.share.length) return null;
  const px = look.screen[island];
  return (
    <Text fontSize="12px" color="soft" mb="1" data-testid="seen-picked">
      Selected: {Math.round(100 * look.share[island])} % of it is visible
      {look.share[island] > 0
        ? `; there a texel takes ${px < 0.1 ? "less than 0.1" : px.toFixed(1)} px of the screen`
        : ""}
      .
    </Text>
  );
}

type KindProps = {
  title: string;
  rows: Proposal[];
  share: number[];
  accept: (rows: Proposal[], weight: number) => void;
  leaveOut?: (rows: Proposal[]) => void;
  busy: boolean;
};

function Kind({ title, rows, share, accept, leaveOut, busy }: KindProps) {
  const [weight, setWeight] = useState(rows[0].weight);
  const show = useShown();
  const by = new Map(rows.map((one) => [one.island, one]));
  return (
    <Box mb="1.5">
      <Flex align="center" gap="1.5">
        <Button
          size="2xs"
          variant="plain"
          px="0"
          justifyContent="flex-start"
          fontWeight="650"
          fontSize="12.5px"
          title="Select them all"
          onClick={() => show(rows.map((one) => one.island))}
        >
          {title} ({format.whole(rows.length)})
        </Button>
      </Flex>
      <IslandRows
        rows={rows.map((one) => ({
          island: one.island,
          weight,
          told: one.kind === "below" ? "" : `${Math.round(100 * share[one.island])} %`,
        }))}
        high="112px"
        busy={busy}
        accept={(island) => accept([by.get(island)!], weight)}
      />
      <Flex mt="1" gap="1.5" align="center" wrap="wrap">
        <NativeSelect.Root size="xs" w="78px" flexShrink="0">
          <NativeSelect.Field
            h="24px"
            px="1.5"
            aria-label={`Weight of what is ${title.toLowerCase()}`}
            value={weight}
            onChange={(e) => setWeight(Number(e.target.value))}
          >
            {WEIGHTS.map((value) => (
              <option key={value} value={value}>
                {value} ×
              </option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
        <Button
          size="2xs"
          variant="outline"
          borderColor="petrol"
          color="petrol"
          disabled={busy}
          onClick={() => accept(rows, weight)}
        >
          Accept {rows.length > 1 ? `all ${format.whole(rows.length)}` : "it"}
        </Button>
        {leaveOut && (
          <Button
            size="2xs"
            variant="outline"
            borderColor="line"
            px="1.5"
            disabled={busy}
            title="They get no texels at all: packing leaves them beside the tiles"
            onClick={() => leaveOut(rows)}
          >
            Leave out
          </Button>
        )}
      </Flex>
    </Box>
  );
}
