import { Box, Button, Flex, Text } from "@chakra-ui/react";
import { useEditor } from "../../api/hooks";
import * as format from "../../format";
import { Foot, MainButton, Running, running, Title } from "../parts";
import type { SlipProps } from "../props";
import { objectsInHand } from "./PickRow";

/** Give an object's layout to all that are of equal topology, and again after it has changed. */
export function AlikePage({ jobs, actions }: SlipProps) {
  const editor = useEditor("selection", "picks", "document");
  const rows = editor.document.info?.objects ?? [];
  const picked = objectsInHand(editor);
  const one = picked.length === 1 ? rows.find((o) => o.id === picked[0]) : undefined;
  const linked = rows.filter((o) => o.copied_from !== null);
  const followers = one ? linked.filter((o) => o.copied_from === one.id) : [];
  const busy = running(jobs, "copy layout") || actions.copyLayout.isPending;
  const name = (id: number | null) => rows.find((o) => o.id === id)?.name ?? "another atlas";
  return (
    <>
      <Title note="Look-alikes have the same topology, whatever their place, size or side. Pick one object that is laid out well.">Look-alikes</Title>
      <Text mb="2">{one ? one.name : picked.length ? "Pick a single object." : "No object is picked."}</Text>
      {linked.length > 0 && <Text fontWeight="650" fontSize="12.5px">Layouts that were copied</Text>}
      <Box as="ul" listStyleType="none" mb="2" data-testid="links">
        {linked.map((o) => (
          <Flex as="li" key={o.id} justify="space-between" align="center" gap="2" fontSize="12.5px" py="1px">
            <Text truncate title={`${o.name}, from ${name(o.copied_from)}`}>{o.name} ← {name(o.copied_from)}</Text>
            <Button size="2xs" variant="outline" borderColor="line" disabled={actions.unlink.isPending} onClick={() => actions.unlink.mutate(o.id)} title="It keeps its layout and follows no more">Cut link</Button>
          </Flex>
        ))}
      </Box>
      <Foot>
        {followers.length > 0 && <MainButton disabled={busy} onClick={() => actions.copyLayout.mutate({ object: one!.id, to: followers.map((o) => o.id) })}>Again for its {format.whole(followers.length)} look-{followers.length === 1 ? "alike" : "alikes"}</MainButton>}
        <Button w="100%" size="xs" mt="1.5" variant={followers.length ? "outline" : "solid"} bg={followers.length ? undefined : "petrol"} color={followers.length ? undefined : "onPetrol"} borderColor="line" disabled={!one || one.islands === 0 || busy} onClick={() => actions.copyLayout.mutate({ object: one!.id, to: [] })}>Give its layout to all look-alikes</Button>
        <Button w="100%" size="xs" mt="1.5" variant="outline" borderColor="line" disabled={!one || one.islands === 0 || busy} onClick={() => actions.copyLayout.mutate({ object: one!.id, to: [], stack: true })} title="All of them share the same texels">As stacks on its islands</Button>
        <Running jobs={jobs} kind="copy layout" actions={actions} />
      </Foot>
    </>
  );
}
