import { Box, Button, Flex, Text } from "@chakra-ui/react";
import { useMemo } from "react";
import { useAction } from "../api/actions/act";
import { toGive, type Needed, type Needs } from "../api/detail";
import { useEditor } from "../api/hooks";
import { lastAnswer } from "../api/lastAnswer";
import * as format from "../format";
import { IslandRows, useShown } from "./IslandRows";
import { MoreOptions, useMore } from "./MoreOptions";
import { Foot, MainButton, Running, running, Title } from "./parts";
import type { PanelProps } from "./props";

const NOTE =
  "Textures are compared with the levels of their mip chain: what is plain needs fewer texels " +
  "than what is busy. Nothing is done unasked.";

/** Detail: the lowest density at which painted islands still look the same, and weights to accept. */
export function DetailPart({ atlas, jobs }: PanelProps) {
  const control = useAction("control");
  const detail = useAction("detail");
  const editor = useEditor("document", "figures");
  const rest = useMore("detail", []);
  const objects = (editor.document.info?.objects ?? []).map(({ id, islands }) => ({ id, islands }));
  const needs = useMemo(
    () => lastAnswer<Needs>("detail", jobs, atlas, objects),
    [jobs, atlas, JSON.stringify(objects)], // eslint-disable-line react-hooks/exhaustive-deps
  );
  const weights = editor.document.info?.controls.weight ?? [];
  const rows = needs ? toGive(needs, (island) => weights[island] ?? 1) : [];
  const accept = (given: Needed[]) =>
    control.run({
      islands: given.map((one) => one.number),
      weights: given.map((one) => one.weight),
    });
  return (
    <>
      <Title note={NOTE}>Detail</Title>
      <MoreOptions operation="detail" shown={[]} />
      {needs && (
        <Box
          borderTopWidth="1px"
          borderColor="line"
          pt="1.5"
          mb="2"
          fontSize="12.5px"
          data-testid="detailed"
        >
          <Text mb="1.5" lineHeight="1.35">
            Painted with {format.counted(needs.painted_texels, "texel")}.{" "}
            {needs.saved > 0
              ? `With these weights ${format.whole(needs.needed_texels)} show the same; ` +
                `at one density for all it takes ${format.whole(needs.even_texels)}.`
              : `All ${format.counted(needs.islands.length, "painted island")} need the same density.`}
          </Text>
          {rows.length > 0 ? (
            <List rows={rows} accept={accept} busy={control.busy} />
          ) : (
            <Text color="soft">They have these weights.</Text>
          )}
        </Box>
      )}
      <Foot>
        <MainButton
          disabled={!atlas.objects || running(jobs, "detail")}
          busy={detail.busy}
          onClick={() => detail.run(rest)}
        >
          {needs ? "Compare again" : "Compare textures"}
        </MainButton>
        <Running jobs={jobs} kind="detail" />
      </Foot>
    </>
  );
}

type ListProps = { rows: Needed[]; accept: (rows: Needed[]) => void; busy: boolean };

function List({ rows, accept, busy }: ListProps) {
  const show = useShown();
  const by = new Map(rows.map((one) => [one.number, one]));
  const hint = (one: Needed) =>
    `${format.density(one.needed)} of ${format.density(one.painted)} ${format.densityUnit()} ` +
    `are enough; its ${one.role} texture needs them`;
  return (
    <>
      <Flex mb="1.5" gap="1.5">
        <Button
          size="2xs"
          variant="outline"
          borderColor="petrol"
          color="petrol"
          disabled={busy}
          onClick={() => accept(rows)}
        >
          Accept {rows.length > 1 ? `all ${format.whole(rows.length)}` : "it"}
        </Button>
        <Button
          size="2xs"
          variant="outline"
          borderColor="line"
          onClick={() => show(rows.map((one) => one.number))}
        >
          Select them
        </Button>
      </Flex>
      <IslandRows
        rows={rows.map((one) => ({
          island: one.number,
          weight: one.weight,
          told: `${one.weight.toPrecision(2)} ×`,
          hint: hint(one),
        }))}
        high="200px"
        busy={busy}
        accept={(island) => accept([by.get(island)!])}
      />
    </>
  );
}
