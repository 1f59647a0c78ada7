import { Flex, Text } from "@chakra-ui/react";
import { useConnection } from "../api/connection";
import { useEditor } from "../api/hooks";

/** That the server does not answer, and how many changes are sent when it does. */
export function ConnectionBar() {
  const { away, waiting: sent } = useConnection();
  // Those behind the one that waits, too.
  const { pending } = useEditor("history").history;
  const waiting = away ? Math.max(sent, pending) : sent;
  if (!away && !waiting) return null;
  return (
    <Flex
      role="status"
      data-testid="connection"
      position="fixed"
      bottom="34px"
      left="50%"
      transform="translateX(-50%)"
      zIndex="banner"
      px="3"
      py="1"
      gap="2"
      rounded="full"
      bg="panel"
      borderWidth="1.5px"
      borderStyle="dashed"
      borderColor="amber"
      fontSize="13px"
    >
      <Text fontWeight="600">{away ? "Not connected" : "Connected again"}</Text>
      <Text color="soft">
        {waiting
          ? `${waiting === 1 ? "1 change waits" : `${waiting} changes wait`}${away ? " and will be sent" : ""}`
          : "what you see is the last that was heard"}
      </Text>
    </Flex>
  );
}
