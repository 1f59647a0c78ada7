import { Box, Button, Center, Flex, Heading, Input, NativeSelect, Text } from "@chakra-ui/react";
import { useRef, useState } from "react";
import type { Job } from "../api/client";
import { useProjects } from "../api/hooks";
import { Drawing } from "../drawings/Drawing";
import { UNITS } from "../panels/GatherPanel";
import { Running } from "../panels/parts";

/** Name of the project that ships with the application. */
const EXAMPLE = "Harbour light · prop set";

type Props = {
  jobs: Job[];
  send: (files: File[], metresPerUnit: number) => Promise<void>;
  /** To the room as it is with objects in it. */
  enter: () => void;
};

/** A project without objects: one large place for files, and nothing else. */
export function FirstScreen({ jobs, send, enter }: Props) {
  const input = useRef<HTMLInputElement>(null);
  const [unit, setUnit] = useState("1");
  const [busy, setBusy] = useState(false);
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
        <Heading as="h2" fontFamily="heading" fontSize="24px">
          Drop meshes here
        </Heading>
        <Text color="soft" maxW="440px">
          OBJ, glTF or GLB, many at once, with their MTL and textures, or a zip of them.
        </Text>
        <Input
          ref={input}
          type="file"
          multiple
          hidden
          data-testid="files"
          onChange={(e) => {
            const files = [...(e.target.files ?? [])];
            e.target.value = "";
            setBusy(true);
            void send(files, Number(unit)).finally(() => setBusy(false));
          }}
        />
        <Button
          size="lg"
          bg="petrol"
          color="onPetrol"
          autoFocus
          loading={busy}
          onClick={() => input.current?.click()}
        >
          Choose files
        </Button>
        <Flex align="center" gap="2" color="soft" fontSize="12.5px">
          <label htmlFor="unit">An OBJ does not say its unit; take it as</label>
          <NativeSelect.Root size="xs" w="108px">
            <NativeSelect.Field id="unit" value={unit} onChange={(e) => setUnit(e.target.value)}>
              {UNITS.map(([value, name]) => (
                <option key={value} value={value}>
                  {name}
                </option>
              ))}
            </NativeSelect.Field>
            <NativeSelect.Indicator />
          </NativeSelect.Root>
        </Flex>
        <Box w="260px">
          <Running jobs={jobs} kind="gather" />
        </Box>
        <Flex gap="5" mt="2">
          {example && (
            <a href={`/project/${example.id}`} style={{ textDecoration: "underline" }}>
              Open the example project
            </a>
          )}
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
        </Flex>
      </Flex>
    </Center>
  );
}
