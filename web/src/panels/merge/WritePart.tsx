import { Button, Collapsible, Flex, Input, Text } from "@chakra-ui/react";
import { useId, useState } from "react";
import { useProfiles } from "../../api/merge";
import type { Project } from "../../api/client";
import { useKept } from "../../state";
import { Check } from "../parts";
import { Pick, Row } from "./fields";
import { ProfileDialog } from "./ProfileDialog";
import { MoreOptions } from "../MoreOptions";
import { FORMATS, GOOD_NAME, goodPattern, MERGE_SHOWN, type useMergeSettings } from "./settings";

type Props = { project: Project } & ReturnType<typeof useMergeSettings>;

/** How the new images are written: names, formats, and what an engine wants beside them. */
export function WritePart({ project, settings, change }: Props) {
  const [open, setOpen] = useKept("merge more", false);
  const [editing, setEditing] = useState(false);
  const { profiles } = useProfiles(project.id);
  const id = useId();
  const names = Object.fromEntries(profiles.map((one) => [one.name, one.name]));
  return (
    <Collapsible.Root open={open} onOpenChange={(e) => setOpen(e.open)}>
      <Row label="Name" id={`${id}t`}>
        <Input
          id={`${id}t`}
          size="xs"
          w="150px"
          value={settings.name}
          aria-invalid={!GOOD_NAME.test(settings.name)}
          onChange={(e) => change({ name: e.target.value })}
        />
      </Row>
      {!GOOD_NAME.test(settings.name) && (
        <Text color="rose" fontSize="12px" mb="1">
          Names of textures begin with it: letters, digits, dots, dashes and spaces.
        </Text>
      )}
      <Collapsible.Trigger asChild>
        <Button size="2xs" variant="plain" px="0" color="petrol" fontSize="12.5px">
          {open ? "Less about files" : "Names, formats, profile"}
        </Button>
      </Collapsible.Trigger>
      <Collapsible.Content>
        <Row label="Pattern" id={`${id}p`}>
          <Input
            id={`${id}p`}
            size="xs"
            w="150px"
            value={settings.naming}
            title="{name}, {role} and {tile} stand for what they say; a tile's number is added where the pattern does not place it"
            aria-invalid={!goodPattern(settings.naming)}
            onChange={(e) => change({ naming: e.target.value })}
          />
        </Row>
        {!goodPattern(settings.naming) && (
          <Text color="rose" fontSize="12px" mb="1">
            The pattern needs {"{role}"}, or two textures get one name.
          </Text>
        )}
        <Row label="Colours as" id={`${id}f`}>
          <Pick
            id={`${id}f`}
            value={settings.format ?? "png"}
            options={FORMATS}
            onChange={(v) => change({ format: v as typeof settings.format })}
          />
        </Row>
        <Row label="Bits a channel" id={`${id}b`}>
          <Pick
            id={`${id}b`}
            value={String(settings.bits)}
            options={{ 0: "as they were", 8: "8", 16: "16" }}
            onChange={(v) => change({ bits: Number(v) as typeof settings.bits })}
          />
        </Row>
        <Row label="Also as" id={`${id}e`}>
          <Pick
            id={`${id}e`}
            value={settings.profile}
            options={{ "": "nothing more", ...names }}
            onChange={(v) => change({ profile: v })}
          />
        </Row>
        <Flex justify="flex-end" mb="1.5">
          <Button size="2xs" variant="outline" borderColor="line" onClick={() => setEditing(true)}>
            Edit profiles …
          </Button>
        </Flex>
        <Check
          label="All objects in one GLB, too"
          value={settings.joint}
          onChange={(joint) => change({ joint })}
        />
        <MoreOptions operation="merge" shown={MERGE_SHOWN} folded={false} />
        {project.atlases.length > 1 && (
          <Check
            label={`All ${project.atlases.length} atlases, each with its own name`}
            value={settings.whole}
            onChange={(whole) => change({ whole })}
          />
        )}
      </Collapsible.Content>
      {editing && (
        <ProfileDialog
          project={project}
          chosen={settings.profile}
          close={(name) => {
            setEditing(false);
            if (name !== null) change({ profile: name });
          }}
        />
      )}
    </Collapsible.Root>
  );
}
