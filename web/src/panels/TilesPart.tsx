import { useAction } from "../api/actions/act";
import { Box, Button, Flex, IconButton, Input, NativeSelect, Text } from "@chakra-ui/react";
import { Plus, Snowflake, Trash2, X } from "lucide-react";
import { useRef, useState } from "react";
import type { Atlas } from "../api/client";
import { oldWords, useEditor } from "../api/hooks";
import { useTileImages } from "../api/tileImages";
import type { PanelProps } from "./props";
import { COLUMNS, gridOf, nextTile, tileCorner, type TileRow } from "../editor/table/tiles";
import * as format from "../format";
import { NumberField, Title } from "./parts";

const SIZES = [128, 256, 512, 1024, 2048, 4096, 8192, 16384];

/** The grid of tiles: up to ten in a row, each with its own resolution. */
export function TilesPart({ atlas }: PanelProps) {
  const tilesAction = useAction("tiles");
  const editor = useEditor("document");
  const tiles = editor.document.tiles;
  // Until the layout shows the last change, another one would start from tiles of before.
  const busy = tilesAction.busy || atlas.head.id !== editor.document.info?.revision.id;
  const figures = editor.document.info?.figures?.tiles;
  const send = (rows: TileRow[]) => tilesAction.run(rows);
  const change = (number: number, what: Partial<TileRow>) =>
    send(tiles.map((t) => (t.number === number ? { ...t, ...what } : t)));
  return (
    <>
      <Title note="Packing keeps the density when islands move to a tile of another resolution. A new resolution changes it for those in the tile: pack with “Even out first”. A frozen tile is not touched.">
        Tiles
      </Title>
      {tiles.map((tile) => {
        const f = figures?.find((t) => t.number === tile.number);
        return (
          <Box
            key={tile.number}
            py="1.5"
            borderBottomWidth="1px"
            borderColor="line"
            data-tile={tile.number}
          >
            <Flex align="center" gap="1">
              <Text fontWeight="700" w="34px">
                {tile.number}
              </Text>
              <Input
                size="2xs"
                flex="1"
                minW="0"
                placeholder="label"
                aria-label={`Label of tile ${tile.number}`}
                defaultValue={tile.label}
                key={tile.label}
                readOnly={busy}
                maxLength={120}
                onBlur={(e) => {
                  if (e.target.value !== tile.label) change(tile.number, { label: e.target.value });
                }}
                onKeyDown={(e) => {
                  if (e.key === "Enter") e.currentTarget.blur();
                }}
              />
              <IconButton
                size="2xs"
                variant={tile.frozen ? "solid" : "ghost"}
                bg={tile.frozen ? "petrol" : undefined}
                color={tile.frozen ? "onPetrol" : undefined}
                aria-pressed={tile.frozen}
                aria-label={`Freeze tile ${tile.number}`}
                title={tile.frozen ? "Thaw" : "Freeze: nothing in it is touched"}
                disabled={busy}
                onClick={() => change(tile.number, { frozen: !tile.frozen })}
              >
                <Snowflake size={13} />
              </IconButton>
              <IconButton
                size="2xs"
                variant="ghost"
                aria-label={`Remove tile ${tile.number}`}
                title={
                  f?.islands
                    ? `${format.counted(f.islands, "island")} in it will lie outside`
                    : "Remove"
                }
                disabled={busy || tiles.length === 1}
                onClick={() => send(tiles.filter((t) => t !== tile))}
              >
                <Trash2 size={13} />
              </IconButton>
            </Flex>
            <Flex align="center" gap="1" mt="1">
              <SizeSelect
                busy={busy}
                label={`Width of tile ${tile.number}`}
                value={tile.width}
                onChange={(width) => change(tile.number, { width })}
              />
              ×
              <SizeSelect
                busy={busy}
                label={`Height of tile ${tile.number}`}
                value={tile.height}
                onChange={(height) => change(tile.number, { height })}
              />
              <Text color="soft" fontSize="12px">
                px
              </Text>
            </Flex>
            <Behind tile={tile.number} atlas={atlas} />
            {f && (
              <Text color="soft" fontSize="12px" data-old={oldWords(editor)}>
                {format.counted(f.islands, "island")} · {format.percent(f.coverage)} % ·{" "}
                {format.densityIn(f.density)}
              </Text>
            )}
          </Box>
        );
      })}
      <Button
        size="xs"
        variant="outline"
        borderColor="line"
        w="100%"
        mt="2"
        disabled={busy || tiles.length >= 100}
        onClick={() =>
          send([
            ...tiles,
            {
              ...tiles[tiles.length - 1],
              number: nextTile(tiles.map((t) => t.number)),
              label: "",
              frozen: false,
            },
          ])
        }
      >
        <Plus size={13} /> Add a tile
      </Button>
      <GridOfTiles busy={busy} tiles={tiles} onMake={send} />
    </>
  );
}

/** All tiles in one step: columns x rows of one size, with labels. */
function GridOfTiles({
  tiles,
  busy,
  onMake,
}: {
  tiles: TileRow[];
  busy: boolean;
  onMake: (rows: TileRow[]) => void;
}) {
  const last = Math.max(...tiles.map((t) => t.number));
  const [columns, setColumns] = useState(
    Math.max(...tiles.map((t) => tileCorner(t.number)[0])) + 1,
  );
  const [rows, setRows] = useState(tileCorner(last)[1] + 1);
  const [size, setSize] = useState(tiles[0]?.width ?? 2048);
  const [label, setLabel] = useState("");
  const made = gridOf(tiles, columns, rows, size, label);
  const gone = tiles.filter((t) => !made.some((m) => m.number === t.number));
  return (
    <Box mt="3" data-testid="tile-grid">
      <Text fontWeight="650" mb="1">
        Grid
      </Text>
      <NumberField
        label="Columns"
        unit=""
        value={columns}
        min={1}
        max={COLUMNS}
        step={1}
        onChange={(many) => setColumns(Math.round(many))}
      />
      <NumberField
        label="Rows"
        unit=""
        value={rows}
        min={1}
        max={COLUMNS}
        step={1}
        onChange={(many) => setRows(Math.round(many))}
      />
      <Flex align="center" justify="space-between" mb="2">
        <Text>Size of each</Text>
        <Flex align="center" gap="1">
          <SizeSelect busy={busy} label="Size of each tile" value={size} onChange={setSize} />
          <Text color="soft">px</Text>
        </Flex>
      </Flex>
      <Input
        size="xs"
        mb="2"
        placeholder="labels, for example wall {tile}"
        aria-label="Labels of all tiles"
        maxLength={100}
        value={label}
        onChange={(e) => setLabel(e.target.value)}
      />
      <Button
        size="xs"
        variant="outline"
        borderColor="line"
        w="100%"
        disabled={busy}
        title={
          gone.length
            ? `${gone.map((t) => t.number).join(", ")} will be removed`
            : `${made[0].number} to ${made[made.length - 1].number}`
        }
        onClick={() => onMake(made)}
      >
        Make {format.counted(made.length, "tile")}
      </Button>
    </Box>
  );
}

/** The image behind a tile: none yet, or how strong it is. */
function Behind({ tile, atlas }: { tile: number; atlas: Atlas }) {
  const { list, lay, change, take } = useTileImages(atlas);
  const file = useRef<HTMLInputElement>(null);
  const own = list.find((one) => one.tile === tile);
  return (
    <Flex align="center" gap="1" mt="1">
      <input
        ref={file}
        type="file"
        hidden
        accept="image/*,.tga,.tif,.tiff,.exr,.hdr"
        aria-label={`Image behind tile ${tile}`}
        onChange={(e) => {
          const one = e.target.files?.[0];
          e.target.value = "";
          if (one) lay.mutate({ tile, file: one });
        }}
      />
      {own ? (
        <>
          <Text fontSize="12px" truncate flex="1" title={own.name}>
            {own.name}
          </Text>
          <NativeSelect.Root size="xs" w="66px">
            <NativeSelect.Field
              px="1.5"
              h="22px"
              aria-label={`How strong the image behind tile ${tile} is`}
              value={String(own.opacity)}
              onChange={(e) => change.mutate({ tile, opacity: Number(e.target.value) })}
            >
              {[0.2, 0.4, 0.6, 0.8, 1].map((part) => (
                <option key={part} value={part}>
                  {Math.round(100 * part)} %
                </option>
              ))}
            </NativeSelect.Field>
            <NativeSelect.Indicator />
          </NativeSelect.Root>
          <IconButton
            size="2xs"
            variant="ghost"
            aria-label={`Take the image behind tile ${tile} away`}
            onClick={() => take.mutate(tile)}
          >
            <X size={13} />
          </IconButton>
        </>
      ) : (
        <Button
          size="2xs"
          variant="plain"
          px="0"
          color="petrol"
          fontSize="12px"
          loading={lay.isPending}
          title="A label sheet, for example, to fit islands to; or drop it on the tile"
          onClick={() => file.current?.click()}
        >
          Image behind …
        </Button>
      )}
    </Flex>
  );
}

function SizeSelect({
  label,
  value,
  busy,
  onChange,
}: {
  label: string;
  value: number;
  busy: boolean;
  onChange: (value: number) => void;
}) {
  const sizes = SIZES.includes(value) ? SIZES : [...SIZES, value].sort((a, b) => a - b);
  return (
    <NativeSelect.Root size="xs" w="78px" disabled={busy}>
      <NativeSelect.Field
        px="1.5"
        h="22px"
        aria-label={label}
        value={value}
        onChange={(e) => onChange(Number(e.target.value))}
      >
        {sizes.map((size) => (
          <option key={size} value={size}>
            {size}
          </option>
        ))}
      </NativeSelect.Field>
      <NativeSelect.Indicator />
    </NativeSelect.Root>
  );
}
