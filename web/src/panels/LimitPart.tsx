import { Box, Button, Flex, Text } from "@chakra-ui/react";
import type { Limit } from "../api/client";
import { useEditor } from "../api/hooks";
import * as format from "../format";
import type { PackSettings } from "../api/arrange";

/** After a pack: what limits the density, and what each fix would bring. */
export function LimitPart({
  limit,
  asking,
  ask,
  settings,
  set,
}: {
  limit: Limit | null | undefined;
  asking: boolean;
  /** Asks for it; none where there is nothing to ask. */
  ask: (() => void) | null;
  settings: PackSettings;
  set: (change: Partial<PackSettings>) => void;
}) {
  const editor = useEditor("document");
  if (!limit)
    return asking ? (
      <Text color="soft" fontSize="12px" mb="1.5">
        Asking what limits the density …
      </Text>
    ) : (
      ask && (
        <Button size="2xs" variant="plain" px="0" mb="1" color="petrol" onClick={ask}>
          What limits the density?
        </Button>
      )
    );
  return (
    <Box
      borderWidth="1px"
      borderColor="line"
      borderStyle="dashed"
      rounded="md"
      px="2"
      py="1.5"
      mb="2"
      fontSize="12.5px"
      data-limit={limit.kind}
    >
      <Text fontWeight="600">What limits the density</Text>
      <Text lineHeight="1.35">{limit.text}</Text>
      {limit.islands.length > 0 && (
        <Button
          size="2xs"
          variant="plain"
          px="0"
          color="petrol"
          onClick={() => {
            editor.select((selection) => selection.set(limit.islands));
            editor.frameSelection();
          }}
        >
          Show {limit.islands.length === 1 ? "it" : `these ${limit.islands.length}`}
        </Button>
      )}
      {limit.fixes.map((fix) => {
        const change = changeOf(fix.kind, settings);
        return (
          <Box key={fix.kind} mt="1" data-fix={fix.kind}>
            <Text lineHeight="1.3">{fix.text}</Text>
            <Flex align="center" justify="space-between" minH="22px">
              <Text color="petrol" title="Expected, by a quick pack with it and one without">
                {fix.density === null ? "" : `about ${format.densityIn(fix.density)}, `}+
                {format.percent(fix.factor - 1)} %
              </Text>
              {change && (
                <Button
                  size="2xs"
                  variant="outline"
                  borderColor="line"
                  onClick={() => set(change)}
                  title="Set it below; then pack again"
                >
                  Set
                </Button>
              )}
            </Flex>
          </Box>
        );
      })}
      {limit.fixes.length === 0 && (
        <Text color="soft">No fix that was tried brings more than 1 %.</Text>
      )}
    </Box>
  );
}

/** Settings of the panel that a fix stands for, where it is one. */
function changeOf(kind: string, settings: PackSettings): Partial<PackSettings> | null {
  if (kind === "free turns") return { rotate: "free", free_steps: 24 };
  if (kind === "padding") return { padding: settings.padding / 2 };
  return null;
}
