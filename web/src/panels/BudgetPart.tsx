import { Box, Button, Flex, Text } from "@chakra-ui/react";
import { useState } from "react";
import { useAction } from "../api/actions/act";
import { useBudget } from "../api/arrange";
import type { Atlas } from "../api/client";
import { useEditor } from "../api/hooks";
import { gridOf } from "../editor/table/tiles";
import * as format from "../format";
import { useKept } from "../state";
import { Choice, NumberField } from "./parts";

const FORMATS = ["raw", "bc1", "bc7", "astc4x4"] as const;

/** Which tiles give most within a memory budget; one press takes one. */
export function BudgetPart({ atlas }: { atlas: Atlas }) {
  const editor = useEditor("document");
  const tilesAction = useAction("tiles");
  const [megabytes, setMegabytes] = useKept("budget", 64);
  const [maps, setMaps] = useKept("budget maps", 3);
  const [how, setHow] = useKept<(typeof FORMATS)[number]>("budget format", "bc7");
  const [asked, setAsked] = useState<{ budget: number; maps: number; format: typeof how }>();
  const found = useBudget(atlas, asked);
  const rows = found.data?.proposals ?? [];
  return (
    <Box mt="3" pt="2" borderTopWidth="1.5px" borderTopStyle="dashed" borderColor="line">
      <Text fontWeight="650" mb="1">
        Within a budget
      </Text>
      <NumberField
        label="Memory of all maps"
        unit="MB"
        value={megabytes}
        min={0.1}
        max={1e5}
        onChange={setMegabytes}
      />
      <NumberField
        label="Maps of each tile"
        unit=""
        value={maps}
        min={1}
        max={64}
        onChange={(value) => setMaps(Math.round(value))}
      />
      <Choice
        label="Compressed as"
        value={how}
        options={FORMATS}
        onChange={setHow}
        names={{ raw: "raw", bc1: "BC1", bc7: "BC7", astc4x4: "ASTC" }}
      />
      <Button
        size="xs"
        w="100%"
        variant="outline"
        borderColor="petrol"
        color="petrol"
        disabled={!atlas.objects}
        loading={found.isFetching}
        onClick={() => setAsked({ budget: megabytes * 1e6, maps, format: how })}
      >
        Propose tiles
      </Button>
      {found.isError && (
        <Text role="alert" color="rose" fontSize="12.5px" mt="1">
          {found.error.message}
        </Text>
      )}
      {rows.map((row) => (
        <Flex
          key={`${row.count} ${row.size}`}
          data-testid="proposal"
          align="center"
          gap="2"
          mt="1.5"
          fontSize="12.5px"
        >
          <Box flex="1" minW="0">
            <Text fontWeight="600" color={row.reaches ? "petrol" : "ink"}>
              {row.reaches ? "✓ " : ""}
              {row.count} × {row.size} px · {(row.memory / 1e6).toPrecision(3)} MB
            </Text>
            <Text color="soft" fontSize="12px">
              {format.densityIn(row.density)}
              {row.lowest < row.density * 0.999 ? `, lowest ${format.density(row.lowest)}` : ""}
              {row.lost ? `, ${format.percent(row.lost)} % of what is painted lost` : ""}
            </Text>
          </Box>
          <Button
            size="2xs"
            variant="outline"
            borderColor="line"
            aria-label={`Take ${row.count} × ${row.size} px`}
            onClick={() => tilesAction.run(gridOf(editor.document.tiles, row.count, 1, row.size))}
          >
            Take
          </Button>
        </Flex>
      ))}
      {rows.length > 0 && (
        <Text color="soft" fontSize="12px" mt="1.5">
          ✓ reaches the house density. Pack again once you have taken one.
        </Text>
      )}
    </Box>
  );
}
