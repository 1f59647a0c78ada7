import { Box, Table, Text } from "@chakra-ui/react";
import { usePlan } from "../api/arrange";
import { useEditor } from "../api/hooks";
import type { PanelProps } from "./props";
import * as format from "../format";
import { useKept } from "../state";
import { BudgetPart } from "./BudgetPart";
import { Choice, Title } from "./parts";

const MEMORY = ["raw", "bc1", "bc7"] as const;
const COUNTS = [1, 2, 4];

/** Which tiles reach the house density, and what they cost. */
export function PlanPart({ atlas }: PanelProps) {
  const editor = useEditor("view");
  const plan = usePlan(atlas.objects ? atlas.head.id : undefined, editor.view.house);
  const [memory, setMemory] = useKept<(typeof MEMORY)[number]>("plan memory", "raw");
  const rows = plan.data?.rows ?? [];
  const sizes = [...new Set(rows.map((r) => r.size))];
  const reached = plan.data?.coverage;
  return (
    <>
      <Title
        note={`Expected density of this set${reached ? `, from the ${format.percent(reached)} % that the last pack reached` : ", before packing"}. House density ${format.densityIn(editor.view.house)}.`}
      >
        Plan
      </Title>
      <Choice
        label="Memory of one map, with mips"
        value={memory}
        options={MEMORY}
        onChange={setMemory}
        names={{ raw: "raw", bc1: "BC1", bc7: "BC7" }}
      />
      <Table.Root size="sm" fontSize="12px" mx="-4px" w="calc(100% + 8px)">
        <Table.Header>
          <Table.Row bg="transparent">
            <Table.ColumnHeader px="1" py="1" whiteSpace="nowrap">
              Tile
            </Table.ColumnHeader>
            {COUNTS.map((n) => (
              <Table.ColumnHeader key={n} px="1" py="1" textAlign="right">
                {n} ×
              </Table.ColumnHeader>
            ))}
          </Table.Row>
        </Table.Header>
        <Table.Body>
          {sizes.map((size) => (
            <Table.Row key={size} bg="transparent">
              <Table.Cell px="1" py="1" fontWeight="600">
                {size}
              </Table.Cell>
              {COUNTS.map((count) => {
                const row = rows.find((r) => r.size === size && r.count === count);
                return row ? (
                  <Table.Cell key={count} px="1" py="1" textAlign="right">
                    <Box
                      rounded="sm"
                      px="0.5"
                      mx="-2px"
                      bg={row.reaches ? "petrol/15" : undefined}
                      title={
                        row.reaches ? "reaches the house density" : "stays below the house density"
                      }
                    >
                      <Text
                        fontWeight="600"
                        whiteSpace="nowrap"
                        color={row.reaches ? "petrol" : "soft"}
                      >
                        {row.reaches ? "✓ " : ""}
                        {format.density(Math.round(row.density))}
                      </Text>
                      <Text color="soft" fontSize="10.5px" whiteSpace="nowrap">
                        {megabytes(row[memory])}
                      </Text>
                    </Box>
                  </Table.Cell>
                ) : null;
              })}
            </Table.Row>
          ))}
        </Table.Body>
      </Table.Root>
      <Text color="soft" fontSize="12px" mt="2">
        {format.densityUnit()} above, memory below; raw is 8-bit RGBA, tiles in px. ✓ reaches the
        house density. Stacks count once.
      </Text>
      <BudgetPart atlas={atlas} />
    </>
  );
}

const megabytes = (bytes: number) =>
  bytes >= 1e9
    ? `${(bytes / 1e9).toFixed(1)} GB`
    : bytes >= 1e7
      ? `${Math.round(bytes / 1e6)} MB`
      : `${(bytes / 1e6).toFixed(1)} MB`;
