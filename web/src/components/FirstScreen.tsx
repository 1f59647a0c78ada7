import { Box, Button, Center, Flex, Heading, Text } from "@chakra-ui/react";
import { useState } from "react";
import type { Job } from "../api/client";
import { useProjects } from "../api/hooks";
import { useLooksOnly } from "../api/people";
import { Drawing } from "../drawings/Drawing";
import { BringIn, UnitSelect } from "../panels/GatherPanel";
import { Running } from "../panels/parts";

/** Name of the project that ships with the application; a browser test finds it under this name. */
const EXAMPLE = "Harbour light · prop set";

type Props = {
  projectId: number;
  jobs: Job[];
  send: (files: File[], metresPerUnit: number) => Promise<void>;
  /** To the room as it is with objects in it. */
  enter: () => void;
};

/** A project without objects: one large place for files, and nothing else. */
export function FirstScreen({ projectId, jobs, send, enter }: Props) {
  const [unit, setUnit] = useState("1");
  const looksOnly = useLooksOnly(projectId);
  const example = useProjects().data?.find((project) => project.name === EXAMPLE);
  return (
    <Center p="24px" minH="0" gridRow="2 / -1">
      <Flex
        as="section"
        aria-label="Task"
        direction="column"
        align="center"
        justify="center"
        gap="3"
        w="100%"
        h="100%"
        maxW="860px"
        maxH="520px"
        minH="0"
        overflowY="auto"
        textAlign="center"
        bg="panel"
        borderWidth="3px"
        borderStyle="dashed"
        borderColor="line"
        rounded="xl"
        p="6"
        color="ink"
      >
        <Drawing of="next-from-side-table" height={56} />
        {looksOnly ? (
          <>
            <Heading as="h2" fontFamily="heading" fontSize="24px">
              No meshes are here yet
            </Heading>
            <Text color="soft" maxW="440px">
              You look and comment in this project; its editors bring the meshes in.
            </Text>
          </>
        ) : (
          <>
            <Heading as="h2" fontFamily="heading" fontSize="24px">
              Drop meshes here
            </Heading>
            <Text color="soft" maxW="440px">
              OBJ, glTF or GLB, many at once, with their MTL and textures, or a zip of them.
            </Text>
            <Box w="260px">
              <BringIn send={(files) => send(files, Number(unit))} />
            </Box>
            <Flex align="center" gap="2" color="soft" fontSize="12.5px">
              An OBJ does not say its unit; take it as
              <Box w="108px">
                <UnitSelect unit={unit} setUnit={setUnit} />
              </Box>
            </Flex>
            <Box w="260px">
              <Running jobs={jobs} kind="gather" />
            </Box>
          </>
        )}
        <Flex gap="5" mt="2">
          {example && (
            <a href={`/project/${example.id}`} style={{ textDecoration: "underline" }}>
              Open the example project
            </a>
          )}
          {!looksOnly && (
            <Button
              variant="plain"
              size="2xs"
              px="0"
              fontSize="13px"
              textDecoration="underline"
              onClick={enter}
            >
              Watch a folder instead
            </Button>
          )}
        </Flex>
      </Flex>
    </Center>
  );
}
