import { Box, CloseButton, Flex, Text } from "@chakra-ui/react";
import type { Atlas, Step } from "../api/client";
import { useDifferences } from "../api/steps";
import * as format from "../format";

/** What differs between the layout as it is and as it was at a step, object by object. */
export function StepDifferences({
  atlas,
  step,
  close,
}: {
  atlas: Atlas;
  step: Step;
  close: () => void;
}) {
  const found = useDifferences(atlas, step.id);
  const objects = found.data?.objects.filter((row) => row.state !== "same") ?? [];
  return (
    <Box
      role="region"
      aria-label="What differs"
      borderTopWidth="1px"
      borderColor="line"
      px="4"
      py="2"
      maxH="45%"
      overflowY="auto"
      tabIndex={0}
    >
      <Flex align="center" gap="2">
        <Text fontWeight="650" truncate>
          Now against “{step.label || format.action(step.verb)}”
        </Text>
        <CloseButton size="2xs" ml="auto" aria-label="Close what differs" onClick={close} />
      </Flex>
      {found.isPending && <Text color="soft">Being compared.</Text>}
      {found.isError && (
        <Text role="alert" color="rose">
          {found.error.message}
        </Text>
      )}
      {found.data?.equal && <Text color="soft">Nothing differs in {atlas.name}.</Text>}
      {found.data?.settings.map((line) => (
        <Text key={line} fontSize="12.5px">
          {line}
        </Text>
      ))}
      {objects.map((row) => (
        <Box key={row.object} mt="1" fontSize="12.5px">
          <Text fontWeight="600">{row.object}</Text>
          {row.changes.map((line) => (
            <Text key={line} color="soft">
              {line}
            </Text>
          ))}
        </Box>
      ))}
    </Box>
  );
}
