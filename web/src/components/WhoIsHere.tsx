import { Button, Flex } from "@chakra-ui/react";
import type { Project } from "../api/client";
import { useLive } from "../api/live";
import { editor } from "../state";

/** Others who have the project open; a press selects what they have selected. */
export function WhoIsHere({ project, atlas }: { project: Project; atlas: number }) {
  // Without accounts nobody is named, and what other windows and scripts change is heard all the same.
  const here = useLive(project, atlas).filter((one) => !one.mine);
  if (!here.length) return null;
  const said = (one: (typeof here)[number]) =>
    `${one.name} is here${one.stage ? `, in ${one.stage}` : ""}${one.picked.length ? `, ${one.picked.length} ${one.picked.length === 1 ? "island" : "islands"} selected` : ""}`;
  return (
    <Flex gap="1" data-testid="here">
      {here.slice(0, 4).map((one, k) => (
        <Button
          key={k}
          size="2xs"
          rounded="full"
          minW="24px"
          h="24px"
          px="1"
          variant="outline"
          borderStyle="dashed"
          borderColor="petrol"
          color="petrol"
          aria-label={said(one)}
          title={`${said(one)}${one.picked.length && one.atlas === atlas ? "; press to select the same" : ""}`}
          disabled={!one.picked.length || one.atlas !== atlas}
          onClick={() => {
            editor.select((selection) => selection.set(one.picked));
            editor.frameSelection();
          }}
        >
          {one.name.slice(0, 2)}
        </Button>
      ))}
      {here.length > 4 && (
        <Button size="2xs" variant="plain" px="0" disabled>
          +{here.length - 4}
        </Button>
      )}
    </Flex>
  );
}
