import { useAction } from "../../api/actions/act";
import { Box, Button, Flex, Text } from "@chakra-ui/react";
import { useLookAlikes } from "../../api/arrange";
import type { Job } from "../../api/client";
import { useEditor } from "../../api/hooks";
import * as format from "../../format";
import { ObjectPicture } from "../../components/ObjectPicture";
import { Foot, MainButton, Running, running, Title } from "../parts";
import type { PanelProps } from "../props";
import { objectsInHand } from "./PickRow";

/** Give an object's layout to all that are of equal topology, and again after it has changed. */
export function LookAlikesPage({ atlas, jobs }: PanelProps) {
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
      <Title note="Objects of the same topology, whatever their place, size or side. Select one that is laid out well: it gives its layout to the others.">
        Look-alikes
      </Title>
      <Groups atlas={atlas} jobs={jobs} />
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

/** The groups that there are, each with its picture; one press selects one, another gives its layout to the rest. */
function Groups({ atlas, jobs }: Pick<PanelProps, "atlas" | "jobs">) {
  const copyLayoutAction = useAction("copy-layout");
  const editor = useEditor("document", "selection", "picks");
  const rows = editor.document.info?.objects ?? [];
  const held = objectsInHand(editor);
  const found = useLookAlikes(atlas, rows.map((o) => `${o.id} ${o.faces}`).join());
  const busy = running(jobs, "copy-layout") || copyLayoutAction.busy;
  if (found.isError)
    return (
      <Text color="rose" role="alert" mb="2">
        {found.error.message}
      </Text>
    );
  if (!found.data)
    return (
      <Text color="soft" mb="2">
        {atlas.objects > 1 ? "Looking for look-alikes …" : "Bring in more objects first."}
      </Text>
    );
  if (!found.data.length)
    return (
      <Text color="soft" mb="2">
        No two objects of this atlas have the same topology.
      </Text>
    );
  return (
    <Box as="ul" listStyleType="none" mb="2" data-testid="groups">
      {found.data.map((group) => {
        const here = rows.filter((o) => group.ids.includes(o.id));
        const laid = here.filter((o) => o.islands > 0);
        const source = laid.find((o) => held.includes(o.id)) ?? laid[0];
        const others = here.filter((o) => o !== source);
        if (here.length < 2) return null;
        return (
          <Flex
            as="li"
            key={group.ids.join()}
            gap="2"
            py="1"
            borderBottomWidth="1px"
            borderColor="line"
          >
            <ObjectPicture object={here[0].id} />
            <Box minW="0" flex="1">
              <Button
                variant="plain"
                size="2xs"
                px="0"
                h="20px"
                maxW="100%"
                fontSize="13px"
                fontWeight="600"
                title={`Select ${group.objects.join(", ")}`}
                onClick={() => {
                  editor.select((selection) =>
                    selection.set(
                      here.flatMap((o) =>
                        Array.from({ length: o.islands }, (_, k) => o.first_island + k),
                      ),
                    ),
                  );
                  editor.frameSelection();
                }}
              >
                <Text as="span" truncate>
                  {here.length} × {here[0].name}
                </Text>
              </Button>
              <Text color="soft" fontSize="12px">
                {format.counted(group.faces, "face")} each
                {laid.length < here.length ? ` · ${here.length - laid.length} without UVs` : ""}
              </Text>
              <Button
                size="2xs"
                variant="outline"
                borderColor="line"
                maxW="100%"
                disabled={!source || busy}
                title={
                  source
                    ? `The layout of ${source.name} for ${others.map((o) => o.name).join(", ")}`
                    : "None of them is laid out yet: unwrap one first"
                }
                onClick={() =>
                  copyLayoutAction.run({ source: source.id, to: others.map((o) => o.id) })
                }
              >
                <Text as="span" truncate>
                  {source ? `Layout of ${source.name} to all` : "None is laid out"}
                </Text>
              </Button>
            </Box>
          </Flex>
        );
      })}
    </Box>
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
