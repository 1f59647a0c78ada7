import { Box, Button, Flex, Heading, Image, NativeSelect, Text } from "@chakra-ui/react";
import { ChevronDown, ChevronUp, X } from "lucide-react";
import { useRef, useState } from "react";
import {
  GIVEN_ROLES,
  isImage,
  sheetWidth,
  slotName,
  useMaterial,
  useShelf,
  useTakeBack,
} from "../api/merge";
import type { Atlas, ShelfMaterial } from "../api/client";
import * as format from "../format";
import { useMergeSettings } from "../panels/merge/settings";
import { editor } from "../state";

/** The materials of an atlas with their textures, users and sizes, where the side table was. */
export function MaterialShelf({ atlas }: { atlas: Atlas }) {
  const { settings } = useMergeSettings();
  const shelf = useShelf(atlas, settings.size || sheetWidth(atlas));
  const takeBack = useTakeBack(atlas.id);
  const rows = shelf.data?.materials ?? [];
  return (
    <Box
      as="section"
      aria-label="Material shelf"
      data-testid="shelf"
      w="214px"
      flexShrink="0"
      bg="panel"
      rounded="lg"
      borderWidth="1px"
      borderColor="line"
      overflowY="auto"
      minH="0"
      px="3"
      py="2.5"
    >
      <Flex justify="space-between" align="baseline">
        <Heading as="h2" fontFamily="heading" fontSize="15px" fontWeight="650">
          Material shelf
        </Heading>
        <Text color="soft" fontSize="12px">
          {format.whole(rows.length)}
        </Text>
      </Flex>
      {shelf.isError && (
        <Text role="alert" color="rose" fontSize="12.5px" mt="2">
          {shelf.error.message}
        </Text>
      )}
      {shelf.isPending && (
        <Text color="soft" fontSize="12.5px" mt="2">
          Reading materials…
        </Text>
      )}
      <Box as="ul" listStyleType="none">
        {rows.map((row, k) => (
          <Material key={`${row.file} ${row.name} ${k}`} row={row} />
        ))}
      </Box>
      {shelf.data && rows.some((row) => row.digest !== "own") && (
        <Button
          mt="2"
          size="2xs"
          variant="outline"
          borderColor="line"
          onClick={() => takeBack.mutate()}
          loading={takeBack.isPending}
        >
          Textures as they came
        </Button>
      )}
      {shelf.data && !rows.some((row) => row.textures.length) && (
        <Text color="soft" fontSize="12.5px" mt="2">
          None of these materials has a texture: plain colours are merged. Drop textures here: they
          go where their names say (crate_normal.png).
        </Text>
      )}
    </Box>
  );
}

function Material({ row }: { row: ShelfMaterial }) {
  const [open, setOpen] = useState(false);
  const [over, setOver] = useState(false);
  const { give } = useMaterial(row.source, row.number);
  const largest = Math.max(
    0,
    ...row.textures.map((texture) => Math.max(texture.width, texture.height)),
  );
  const roles = row.textures.map(
    (texture) =>
      `${slotName(texture.role)}: ${texture.missing ? "not there" : `${texture.width} × ${texture.height} px, ${texture.bits} bit`}, ${texture.name}`,
  );
  const shown = [...row.textures]
    .sort((a, b) => Number(b.role === "baseColor") - Number(a.role === "baseColor"))
    .find((texture) => !texture.missing);
  const users = [...new Set(row.objects)];
  const pick = () =>
    editor.select((selection) =>
      selection.set(
        (editor.document.info?.objects ?? [])
          .filter((o) => users.includes(o.name))
          .flatMap((o) => Array.from({ length: o.islands }, (_, i) => o.first_island + i)),
      ),
    );
  const drop = (event: React.DragEvent) => {
    const files = [...event.dataTransfer.files].filter((file) => isImage(file.name));
    setOver(false);
    if (!files.length) return;
    event.preventDefault();
    event.stopPropagation();
    void files.reduce((before, file) => before.then(() => give(file)), Promise.resolve());
  };
  return (
    <Box
      as="li"
      py="2"
      borderBottomWidth="1px"
      borderBottomStyle="dashed"
      borderColor="line"
      bg={over ? "straw" : undefined}
      onDragOver={(e) => {
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={drop}
    >
      <Flex gap="1" align="flex-start">
        <Box
          as="button"
          flex="1"
          minW="0"
          textAlign="start"
          cursor="pointer"
          title={[
            `${row.name}, in ${row.file}`,
            ...roles,
            `Used by ${users.join(", ")}. A click picks their islands.`,
          ].join("\n")}
          onClick={pick}
        >
          <Flex gap="2" align="flex-start">
            <Box
              w="34px"
              h="34px"
              mt="1px"
              flexShrink="0"
              rounded="sm"
              borderWidth="1px"
              borderColor="line"
              overflow="hidden"
              style={{ background: colourOf(row.colour) }}
              aria-hidden
            >
              {shown && (
                <Image src={thumb(row, shown.number)} alt="" w="100%" h="100%" objectFit="cover" />
              )}
            </Box>
            <Box minW="0" flex="1">
              <Flex justify="space-between" gap="2">
                <Text fontWeight="650" fontSize="12.5px" truncate>
                  {row.name}
                </Text>
                <Text color="soft" fontSize="12px" whiteSpace="nowrap">
                  {largest ? `${largest} px` : "–"}
                </Text>
              </Flex>
              <Text
                color={row.textures.some((texture) => texture.missing) ? "amber" : "soft"}
                fontSize="11.5px"
                lineHeight="1.3"
              >
                {row.textures.length
                  ? [...new Set(row.textures.map((texture) => slotName(texture.role)))].join(", ")
                  : "no textures"}
              </Text>
              <Text color="soft" fontSize="11.5px" truncate>
                {users.length === 1 ? users[0] : `${users.length} objects`}
                {row.alpha === "OPAQUE"
                  ? ""
                  : row.alpha === "MASK"
                    ? " · cut out"
                    : " · see-through"}
              </Text>
            </Box>
          </Flex>
        </Box>
        <Button
          size="2xs"
          variant="ghost"
          px="0"
          minW="18px"
          aria-expanded={open}
          aria-label={`Textures of ${row.name}`}
          onClick={() => setOpen(!open)}
        >
          {open ? <ChevronUp size={13} /> : <ChevronDown size={13} />}
        </Button>
      </Flex>
      {open && <TexturesOf row={row} />}
    </Box>
  );
}

const thumb = (row: ShelfMaterial, number: number) =>
  `/api/sources/${row.source}/textures/${number}/?given=${row.digest}`;

/** The textures of a material, each with its role; others can be given. */
function TexturesOf({ row }: { row: ShelfMaterial }) {
  const { give, rename } = useMaterial(row.source, row.number);
  const file = useRef<HTMLInputElement>(null);
  return (
    <Box mt="1.5">
      {row.textures.map((texture) => (
        <Flex
          key={texture.role}
          gap="1"
          align="center"
          mb="1"
          title={`${texture.name}${texture.channel ? `, by UV channel ${texture.channel + 1}` : ""}`}
        >
          <Box
            w="20px"
            h="20px"
            flexShrink="0"
            rounded="sm"
            borderWidth="1px"
            borderColor={texture.missing ? "amber" : "line"}
            overflow="hidden"
          >
            {!texture.missing && (
              <Image src={thumb(row, texture.number)} alt="" w="100%" h="100%" objectFit="cover" />
            )}
          </Box>
          <NativeSelect.Root
            size="xs"
            flex="1"
            minW="0"
            disabled={texture.missing || rename.isPending}
          >
            <NativeSelect.Field
              fontSize="11.5px"
              h="22px"
              ps="1.5"
              aria-label={`What ${texture.name} shows`}
              value={texture.role}
              onChange={(e) => rename.mutate({ role: texture.role, to: e.target.value })}
            >
              {!(texture.role in GIVEN_ROLES) && (
                <option value={texture.role}>{slotName(texture.role)}</option>
              )}
              {Object.entries(GIVEN_ROLES).map(([role, text]) => (
                <option key={role} value={role}>
                  {text}
                </option>
              ))}
            </NativeSelect.Field>
            <NativeSelect.Indicator />
          </NativeSelect.Root>
          <Button
            size="2xs"
            variant="ghost"
            px="0"
            minW="18px"
            aria-label={`Take ${slotName(texture.role)} away from ${row.name}`}
            title="Take it away from this material"
            disabled={rename.isPending}
            onClick={() => rename.mutate({ role: texture.role, to: "" })}
          >
            <X size={12} />
          </Button>
        </Flex>
      ))}
      {row.textures.some((texture) => texture.missing) && (
        <Text color="amber" fontSize="11.5px" mb="1">
          Drop{" "}
          {row.textures
            .filter((texture) => texture.missing)
            .map((texture) => texture.name.split("/").pop())
            .join(", ")}{" "}
          here.
        </Text>
      )}
      <Button size="2xs" variant="outline" borderColor="line" onClick={() => file.current?.click()}>
        Give a texture …
      </Button>
      <input
        ref={file}
        type="file"
        hidden
        multiple
        accept="image/*,.tga,.tif,.tiff,.exr,.hdr"
        aria-label={`Textures for ${row.name}`}
        onChange={(e) => {
          const files = [...(e.target.files ?? [])];
          e.target.value = "";
          void files.reduce((before, one) => before.then(() => give(one)), Promise.resolve());
        }}
      />
    </Box>
  );
}

/** Factors are linear light. */
function colourOf(factor: number[]): string {
  const byte = (value: number) =>
    Math.round(
      255 * (value <= 0.0031308 ? 12.92 * value : 1.055 * Math.min(1, value) ** (1 / 2.4) - 0.055),
    );
  return `rgb(${factor
    .slice(0, 3)
    .map((value) => byte(Math.max(0, value)))
    .join(" ")})`;
}
