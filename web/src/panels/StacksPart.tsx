import { useAction } from "../api/actions/act";
import { Box, Button, Flex, Spinner, Text } from "@chakra-ui/react";
import { useCandidates } from "../api/arrange";
import { useEditor } from "../api/hooks";
import type { PanelProps } from "./props";
import { useKept } from "../state";
import { NumberField, Title } from "./parts";

/** The first few labels, the others counted. */
const codes = (all: string[]) =>
  all.length > 3 ? `${all.slice(0, 2).join(" ")} + ${all.length - 2}` : all.join(" ");

/** Islands of one shape: candidates, and what is stacked already. */
export function StacksPart({ atlas }: PanelProps) {
  const controlAction = useAction("control");
  const editor = useEditor("document");
  const [tolerance, setTolerance] = useKept("stack tolerance", 0.2);
  const found = useCandidates(atlas, tolerance / 100);
  const rows = found.data ?? [];
  const open = rows.filter((row) => !row.stacked);
  return (
    <>
      <Title note="Islands of the same shape and size, turned or mirrored, may share their texels. A stack is packed as one and is no fault.">
        Stacks
      </Title>
      <NumberField
        label="Outlines apart up to"
        unit="% of side"
        value={tolerance}
        min={0.001}
        max={1}
        step={0.1}
        onChange={(value) => setTolerance(Number(value.toFixed(3)))}
      />
      {open.length > 1 && (
        <Button
          size="xs"
          w="100%"
          mb="1"
          variant="outline"
          borderColor="line"
          disabled={controlAction.busy}
          onClick={() => controlAction.run({ islands: [], stacks: open.map((row) => row.islands) })}
        >
          Stack all {open.length} shapes
        </Button>
      )}
      {found.isFetching && (
        <Flex gap="2" align="center" color="soft">
          <Spinner size="xs" /> looking for equal shapes
        </Flex>
      )}
      {found.isError && (
        <Text color="rose" role="alert">
          {found.error.message}
        </Text>
      )}
      {found.isSuccess && rows.length === 0 && (
        <Text color="soft">No two islands have the same shape.</Text>
      )}
      {rows.map((row) => {
        const first = editor.document.objectOf(row.islands[0]);
        const objects = new Set(row.islands.map((i) => editor.document.objectOf(i)?.name));
        return (
          <Box key={row.islands.join()} py="1.5" borderBottomWidth="1px" borderColor="line">
            <Button
              variant="plain"
              size="2xs"
              px="0"
              h="20px"
              fontSize="13px"
              fontWeight="600"
              onClick={() => {
                editor.select((s) => s.set(row.islands));
                editor.frameSelection();
              }}
            >
              {row.islands.length} × {first?.name}
              {objects.size > 1 ? ` and ${objects.size - 1} more` : ""}
            </Button>
            <Flex justify="space-between" align="center" gap="1">
              <Text color="soft" fontSize="12px">
                {codes(row.islands.map((i) => editor.document.code(i)))}
                <br />
                {row.mirrored ? `${row.mirrored} mirrored · ` : ""}
                {row.kind === "topology" ? "same topology · " : ""}
                {(100 * row.deviation).toFixed(2)} % apart
              </Text>
              <Button
                size="2xs"
                variant="outline"
                borderColor="line"
                disabled={controlAction.busy}
                onClick={() => controlAction.run({ islands: row.islands, stack: !row.stacked })}
              >
                {row.stacked ? "Take off" : "Stack"}
              </Button>
            </Flex>
          </Box>
        );
      })}
      {open.length > 0 && (
        <Text color="soft" fontSize="12px" mt="2">
          After stacking, pack again: {open.reduce((sum, row) => sum + row.islands.length - 1, 0)}{" "}
          islands could be laid on others.
        </Text>
      )}
    </>
  );
}
