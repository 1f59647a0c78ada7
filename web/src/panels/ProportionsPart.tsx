import { useAction } from "../api/actions/act";
import { Box, Button, Flex, Input, Text } from "@chakra-ui/react";
import type { ObjectRow } from "../api/client";
import { useEditor } from "../api/hooks";
import { asRatio, fromRatio } from "../format";
import { useKept } from "../state";

/** Objects laid out for images that are not square, and those that look as if they were. */
export function ProportionsPart() {
  const editor = useEditor("document", "selection");
  const [all, setAll] = useKept("all proportions", false);
  const objects = editor.document.info?.objects ?? [];
  const odd = objects.filter((o) => o.proportion !== 1 || o.said || o.suggested !== null);
  const shown = all ? objects : odd;
  return (
    <Box mt="3" pt="2" borderTopWidth="1px" borderColor="line">
      <Flex justify="space-between" align="baseline">
        <Text fontWeight="600">Proportions of the textures</Text>
        <Button size="2xs" variant="plain" px="0" color="petrol" onClick={() => setAll(!all)}>
          {all ? "Only unusual" : "All objects"}
        </Button>
      </Flex>
      <Text color="soft" fontSize="12px" lineHeight="1.35" mb="1">
        {odd.length
          ? "Evening out and packing give these islands the shapes that were meant."
          : "Every object was laid out for a square texture, as far as its textures and its stretch tell."}
      </Text>
      {shown.map((o) => (
        <Row key={o.id} object={o} />
      ))}
    </Box>
  );
}

function Row({ object }: { object: ObjectRow }) {
  const memberAction = useAction("member");
  const text = asRatio(object.proportion);
  const say = (proportion: number | null) => memberAction.run({ object: object.id, proportion });
  return (
    <Box mb="1" data-proportion={object.name}>
      <Flex align="center" gap="2">
        <Text flex="1" truncate title={object.name}>
          {object.name}
        </Text>
        <Input
          key={text}
          size="2xs"
          w="84px"
          h="20px"
          textAlign="right"
          defaultValue={text}
          aria-label={`Proportion of ${object.name}, width : height`}
          onKeyDown={(e) => {
            if (e.key === "Enter") e.currentTarget.blur();
            if (e.key === "Escape") {
              e.currentTarget.value = text;
              e.currentTarget.blur();
            }
          }}
          onBlur={(e) => {
            const typed = fromRatio(e.target.value);
            if (typed === null) e.target.value = text;
            else if (Math.abs(typed / object.proportion - 1) > 1e-4) say(typed);
          }}
        />
        {object.said && (
          <Button
            size="2xs"
            variant="outline"
            borderColor="line"
            onClick={() => say(null)}
            title="Take the proportions of its own texture again"
          >
            Undo
          </Button>
        )}
      </Flex>
      {object.suggested !== null && !object.said && (
        <Flex align="center" gap="2" fontSize="12px" color="amber">
          <Text flex="1">Its stretch suggests {asRatio(object.suggested)}.</Text>
          <Button
            size="2xs"
            variant="outline"
            borderColor="line"
            onClick={() => say(object.suggested)}
          >
            Use suggestion
          </Button>
        </Flex>
      )}
    </Box>
  );
}
