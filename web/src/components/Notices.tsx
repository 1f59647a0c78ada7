import { Box, CloseButton, Flex, Text } from "@chakra-ui/react";
import { useEffect } from "react";
import { useUi } from "../state";

/** What went wrong, where, and what to do. Errors stay until they are closed. */
export function Notices() {
  const { notice, tell } = useUi();
  useEffect(() => {
    if (notice?.kind !== "done") return;
    const timer = setTimeout(() => tell(null), 4000);
    return () => clearTimeout(timer);
  }, [notice, tell]);
  if (!notice) return null;
  const error = notice.kind === "error";
  return (
    <Flex
      role={error ? "alert" : "status"}
      position="fixed"
      bottom="18px"
      right="18px"
      maxW="440px"
      zIndex="20"
      bg="panel"
      borderWidth="1px"
      borderColor={error ? "rose" : "petrol"}
      borderLeftWidth="5px"
      rounded="md"
      shadow="lg"
      p="3"
      gap="3"
    >
      <Box flex="1">
        {notice.where && (
          <Text color="soft" fontSize="12px" wordBreak="break-word">
            {notice.where}
          </Text>
        )}
        <Text fontWeight="600">{notice.what}</Text>
        {notice.fix && <Text>{notice.fix}</Text>}
        {error && !notice.changed && (
          <Text color="soft" fontSize="12px" mt="1">
            Your layout is as it was.
          </Text>
        )}
      </Box>
      <CloseButton size="xs" aria-label="Close this message" onClick={() => tell(null)} />
    </Flex>
  );
}
