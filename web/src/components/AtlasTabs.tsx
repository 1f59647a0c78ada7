import { useAction } from "../api/actions/act";
import { Box, Button, CloseButton, Flex, IconButton, Input, Text } from "@chakra-ui/react";
import { Plus } from "lucide-react";
import type { AtlasTab, Project } from "../api/client";
import { oldWords, useEditor } from "../api/hooks";
import * as format from "../format";
import { nextName, useUi } from "../state";

/** The atlases of a project as index tabs over the table, each with its figures. */
export function AtlasTabs({ project, here }: { project: Project; here: number }) {
  const newAtlasAction = useAction("new-atlas");
  const goTo = useUi((ui) => ui.goToAtlas);
  const add = () =>
    newAtlasAction.run({ name: nextName(project.atlases), objects: [] }, ({ atlas }) =>
      goTo(atlas),
    );
  return (
    <Flex
      role="tablist"
      aria-label="Atlases"
      gap="1"
      px="2"
      align="flex-end"
      h="34px"
      overflowX="auto"
      flexShrink="0"
    >
      {project.atlases.map((tab) => (
        <Tab
          key={tab.id}
          tab={tab}
          open={tab.id === here}
          only={project.atlases.length === 1}
          go={() => goTo(tab.id)}
        />
      ))}
      <IconButton
        size="2xs"
        variant="ghost"
        mb="1"
        aria-label="New atlas"
        title="New atlas; objects can be moved to it"
        disabled={newAtlasAction.busy}
        onClick={add}
      >
        <Plus />
      </IconButton>
    </Flex>
  );
}

function Tab({
  tab,
  open,
  only,
  go,
}: {
  tab: AtlasTab;
  open: boolean;
  only: boolean;
  go: () => void;
}) {
  const renameAtlasAction = useAction("rename-atlas");
  const deleteAtlasAction = useAction("delete-atlas");
  const { naming: named, nameAtlas } = useUi();
  const naming = named === tab.id;
  const setNaming = (on: boolean) => nameAtlas(on ? tab.id : null);
  const rename = (name: string) => {
    setNaming(false);
    if (name.trim() && name.trim() !== tab.name)
      renameAtlasAction.run({ atlas: tab.id, name: name.trim() });
  };
  // The open one says what the bar over the table says.
  const editor = useEditor("document", "view");
  const totals = open ? editor.document.totals : null;
  const coverage = totals ? totals.coverage : tab.coverage;
  const density = totals ? totals.density.mean : tab.density;
  const figures = [
    `${format.whole(tab.objects)} ${tab.objects === 1 ? "object" : "objects"}`,
    coverage === null ? "" : `${format.percent(coverage)} %`,
    density === null ? "" : `${format.densityIn(density)}`,
  ];
  return (
    <Flex
      align="center"
      gap="1"
      pl="3"
      pr="1"
      h={open ? "32px" : "28px"}
      roundedTop="md"
      borderWidth="1px"
      borderBottomWidth="0"
      borderColor="line"
      bg={open ? "cloth" : "panel"}
      flexShrink="0"
      maxW="290px"
    >
      {naming ? (
        <Input
          size="2xs"
          w="120px"
          autoFocus
          defaultValue={tab.name}
          maxLength={120}
          aria-label={`New name of ${tab.name}`}
          onFocus={(e) => e.target.select()}
          onBlur={(e) => rename(e.target.value)}
          onKeyDown={(e) => {
            if (e.key === "Enter") rename(e.currentTarget.value);
            if (e.key === "Escape") setNaming(false);
          }}
        />
      ) : (
        <Button
          role="tab"
          aria-selected={open}
          variant="plain"
          size="2xs"
          px="0"
          gap="2"
          minW="0"
          h="26px"
          fontWeight={open ? "700" : "500"}
          fontSize="13px"
          title={`${tab.name}: ${figures.filter(Boolean).join(", ")}. Double click to rename.`}
          onClick={go}
          onDoubleClick={() => setNaming(true)}
          onKeyDown={(e) => {
            if (e.key === "F2") setNaming(true);
          }}
        >
          <Text as="span" truncate>
            {tab.name}
          </Text>
          <Text
            as="span"
            color="soft"
            fontWeight="400"
            fontSize="12px"
            whiteSpace="nowrap"
            data-old={open ? oldWords(editor) : undefined}
          >
            {coverage === null ? figures[0] : figures.slice(1).filter(Boolean).join(" · ")}
          </Text>
        </Button>
      )}
      {only ? (
        <Box w="8px" />
      ) : (
        <CloseButton
          size="2xs"
          aria-label={`Delete ${tab.name}`}
          title="Delete this atlas; its objects stay in the project"
          disabled={deleteAtlasAction.busy}
          onClick={() => deleteAtlasAction.run(tab.id)}
        />
      )}
    </Flex>
  );
}
