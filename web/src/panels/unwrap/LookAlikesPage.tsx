import { useAction } from "../../api/actions/act";
import { Box, Button, Flex, Text } from "@chakra-ui/react";
import type { Job } from "../../api/client";
import { useEditor } from "../../api/hooks";
import * as format from "../../format";
import { Foot, MainButton, Running, running, Title } from "../parts";
import type { PanelProps } from "../props";
import { objectsInHand } from "./PickRow";

/** Give an object's layout to all that are of equal topology, and again after it has changed. */
export function LookAlikesPage({ jobs }: PanelProps) {
  const copyLayoutAction = useAction("copy-layout");
  const cutLinkAction = useAction("cut-link");
  const editor = useEditor("selection", "picks", "document");
  const rows = editor.document.info?.objects ?? [];
  const picked = objectsInHand(editor);
  const one = picked.length === 1 ? rows.find((o) => o.id === picked[0]) : undefined;
  const linked = rows.filter((o) => o.copied_from !== null);
  const followers = one ? linked.filter((o) => o.copied_from === one.id) : [];
  const busy = running(jobs, "copy-layout") || copyLayoutAction.busy;
  const ways = lastWays(jobs);
  const faces = one ? [...editor.picks.of(one.id).faces] : [];
  const name = (id: number | null) => rows.find((o) => o.id === id)?.name ?? "another atlas";
  return (
    <>
      <Title note="Look-alikes have the same topology, whatever their place, size or side. Select one object that is laid out well.">
        Look-alikes
      </Title>
      <Text mb="2">
        {one ? one.name : picked.length ? "Select a single object." : "No object is selected."}
      </Text>
      {linked.length > 0 && (
        <Text fontWeight="650" fontSize="12.5px">
          Layouts that were copied
        </Text>
      )}
      <Box as="ul" listStyleType="none" mb="2" data-testid="links">
        {linked.map((o) => (
          <Flex
            as="li"
            key={o.id}
            justify="space-between"
            align="center"
            gap="2"
            fontSize="12.5px"
            py="1px"
          >
            <Text truncate title={`${o.name}, from ${name(o.copied_from)}`}>
              {o.name} ← {name(o.copied_from)}
            </Text>
            {(ways.get(o.id)?.matches ?? 1) > 1 && (
              <NextWay
                way={ways.get(o.id)!}
                disabled={busy}
                onClick={(number) =>
                  copyLayoutAction.run({
                    source: o.copied_from!,
                    to: [o.id],
                    stack: ways.get(o.id)!.stacked,
                    number,
                  })
                }
              />
            )}
            <Button
              size="2xs"
              variant="outline"
              borderColor="line"
              disabled={cutLinkAction.busy}
              onClick={() => cutLinkAction.run({ object: o.id })}
              title="It keeps its layout and follows no more"
            >
              Cut link
            </Button>
          </Flex>
        ))}
      </Box>
      <Foot>
        {followers.length > 0 && (
          <MainButton
            disabled={busy}
            onClick={() =>
              copyLayoutAction.run({ source: one!.id, to: followers.map((o) => o.id) })
            }
          >
            Again for its {format.whole(followers.length)} look-
            {followers.length === 1 ? "alike" : "alikes"}
          </MainButton>
        )}
        <Button
          w="100%"
          size="xs"
          mt="1.5"
          variant={followers.length ? "outline" : "solid"}
          bg={followers.length ? undefined : "petrol"}
          color={followers.length ? undefined : "onPetrol"}
          borderColor="line"
          disabled={!one || one.islands === 0 || busy}
          onClick={() => copyLayoutAction.run({ source: one!.id, to: [] })}
        >
          Give its layout to all look-alikes
        </Button>
        <Button
          w="100%"
          size="xs"
          mt="1.5"
          variant="outline"
          borderColor="line"
          disabled={!one || one.islands === 0 || busy}
          onClick={() => copyLayoutAction.run({ source: one!.id, to: [], stack: true })}
          title="All of them share the same texels"
        >
          As stacks on its islands
        </Button>
        <Button
          w="100%"
          size="xs"
          mt="1.5"
          variant="outline"
          borderColor="line"
          disabled={!faces.length || busy}
          onClick={() => copyLayoutAction.run({ source: one!.id, faces })}
          title="The layout of the selected faces for every part of the same shape, in all objects of this atlas"
        >
          {faces.length
            ? `Give that of ${format.whole(faces.length)} selected faces to like parts`
            : "Select faces to copy a part"}
        </Button>
        <Running jobs={jobs} kind="copy-layout" />
      </Foot>
    </>
  );
}

type Way = { id: number; number: number; matches: number; stacked: boolean };

/** How the last copies were matched, by object. */
function lastWays(jobs: Job[]): Map<number, Way> {
  const last = jobs.find((job) => job.kind === "copy-layout" && job.state === "done");
  return new Map(
    ((last?.result as { objects?: Way[] } | undefined)?.objects ?? []).map((way) => [way.id, way]),
  );
}

/** A symmetric object is like the other one in several ways: this takes the next. */
function NextWay({
  way,
  disabled,
  onClick,
}: {
  way: Way;
  disabled: boolean;
  onClick: (number: number) => void;
}) {
  const next = (way.number + 1) % way.matches;
  return (
    <Button
      size="2xs"
      variant="outline"
      borderColor="line"
      disabled={disabled}
      onClick={() => onClick(next)}
      title="Symmetric objects match in several ways; the closest in shape was taken first"
    >
      Way {way.number + 1} of {way.matches}: next
    </Button>
  );
}
