import { Box, Flex, Heading, Image, Text } from "@chakra-ui/react";
import { sheetWidth, slotName, useShelf } from "../api/carry";
import type { Atlas, ShelfMaterial } from "../api/client";
import * as format from "../format";
import { useCarrySettings } from "../slips/carry/settings";
import { editor } from "../state";

/** The materials of an atlas with their pictures, users and sizes, where the side table was. */
export function MaterialShelf({ atlas }: { atlas: Atlas }) {
  const { settings } = useCarrySettings();
  const shelf = useShelf(atlas, settings.size || sheetWidth(atlas));
  const rows = shelf.data?.materials ?? [];
  return (
    <Box as="section" aria-label="Material shelf" data-testid="shelf" w="214px" flexShrink="0" bg="slip" rounded="lg" borderWidth="1px" borderColor="line" overflowY="auto" minH="0" px="3" py="2.5">
      <Flex justify="space-between" align="baseline"><Heading as="h2" fontFamily="heading" fontSize="15px" fontWeight="650">Material shelf</Heading><Text color="soft" fontSize="12px">{format.whole(rows.length)}</Text></Flex>
      {shelf.isError && <Text role="alert" color="rose" fontSize="12.5px" mt="2">{shelf.error.message}</Text>}
      {shelf.isPending && <Text color="soft" fontSize="12.5px" mt="2">Reading materials…</Text>}
      <Box as="ul" listStyleType="none">{rows.map((row, k) => <Material key={`${row.file} ${row.name} ${k}`} row={row} />)}</Box>
      {shelf.data && !rows.some((row) => row.pictures.length) && <Text color="soft" fontSize="12.5px" mt="2">None of these materials has a picture: plain colours are carried over.</Text>}
    </Box>
  );
}

function Material({ row }: { row: ShelfMaterial }) {
  const largest = Math.max(0, ...row.pictures.map((picture) => Math.max(picture.width, picture.height)));
  const roles = row.pictures.map((picture) => `${slotName(picture.role)}: ${picture.missing ? "not there" : `${picture.width} × ${picture.height} px, ${picture.bits} bit`}, ${picture.name}`);
  const shown = [...row.pictures].sort((a, b) => Number(b.role === "baseColor") - Number(a.role === "baseColor")).find((picture) => !picture.missing);
  const users = [...new Set(row.objects)];
  const pick = () => editor.select((selection) => selection.set((editor.document.info?.objects ?? []).filter((o) => users.includes(o.name)).flatMap((o) => Array.from({ length: o.islands }, (_, i) => o.first_island + i))));
  return (
    <Box as="li" py="2" borderBottomWidth="1px" borderBottomStyle="dashed" borderColor="line">
      <Box as="button" w="100%" textAlign="start" cursor="pointer" title={[`${row.name}, in ${row.file}`, ...roles, `Used by ${users.join(", ")}. A click picks their islands.`].join("\n")} onClick={pick}>
        <Flex gap="2" align="flex-start">
          <Box w="34px" h="34px" mt="1px" flexShrink="0" rounded="sm" borderWidth="1px" borderColor="line" overflow="hidden" style={{ background: colourOf(row.colour) }} aria-hidden>
            {shown && <Image src={`/api/sources/${row.source}/pictures/${shown.number}/`} alt="" w="100%" h="100%" objectFit="cover" />}
          </Box>
          <Box minW="0" flex="1">
            <Flex justify="space-between" gap="2"><Text fontWeight="650" fontSize="12.5px" truncate>{row.name}</Text><Text color="soft" fontSize="12px" whiteSpace="nowrap">{largest ? `${largest} px` : "–"}</Text></Flex>
            <Text color={row.pictures.some((picture) => picture.missing) ? "amber" : "soft"} fontSize="11.5px" lineHeight="1.3">{row.pictures.length ? [...new Set(row.pictures.map((picture) => slotName(picture.role)))].join(", ") : "by numbers only"}</Text>
            <Text color="soft" fontSize="11.5px" truncate>{users.length === 1 ? users[0] : `${users.length} objects`}{row.alpha === "OPAQUE" ? "" : row.alpha === "MASK" ? " · cut out" : " · see-through"}</Text>
          </Box>
        </Flex>
      </Box>
    </Box>
  );
}

/** Factors are linear light. */
function colourOf(factor: number[]): string {
  const byte = (value: number) => Math.round(255 * (value <= 0.0031308 ? 12.92 * value : 1.055 * Math.min(1, value) ** (1 / 2.4) - 0.055));
  return `rgb(${factor.slice(0, 3).map((value) => byte(Math.max(0, value))).join(" ")})`;
}
