import { useAction } from "../api/actions/act";
import { Box, Button, Collapsible, Flex, Input, NativeSelect, Text } from "@chakra-ui/react";
import { useEffect, useState } from "react";
import { useEditor } from "../api/hooks";
import {
  useDrafts,
  usePackOptions,
  type KeptPack,
  type PackOptions,
  type PackSettings,
} from "../api/arrange";
import type { PanelProps } from "./props";
import * as format from "../format";
import { useKept, useUi } from "../state";
import {
  Check,
  Choice,
  Foot,
  MainButton,
  NumberField,
  Range,
  Running,
  running,
  Title,
} from "./parts";
import { LimitPart } from "./LimitPart";
import { MoreOptions, useMore } from "./MoreOptions";
import { PresetRow } from "./PresetRow";

const SIZE = ["shrink", "keep"] as const;
const SCOPE = ["all", "selected"] as const;
const SHOWN = [
  "padding",
  "margin",
  "rotate",
  "effort",
  "seed",
  "order",
  "upright",
  "mirror",
  "free_steps",
  "apart",
  "apart_gap",
  "tidy",
  "density",
  "more_tiles",
  "size",
  "tile",
  "islands",
];
/** What a layout is judged by that nobody packed, px. */
const UNSAID = { padding: 8, margin: 4 };
/** How the density is set, for islands that are scaled and such that keep their size, as they are and evened out. */
const DENSITIES = [
  ["keep", "equal"],
  ["fixed", "house"],
] as const;

export function PackPart(props: PanelProps) {
  const options = usePackOptions();
  return options ? (
    <Settings {...props} options={options} />
  ) : (
    <Title note="The settings are on their way.">Pack</Title>
  );
}

function Settings({ atlas, project, jobs, options }: PanelProps & { options: PackOptions }) {
  const packAction = useAction("pack");
  const limitAction = useAction("limit");
  const editor = useEditor("document", "selection");
  const tiles = editor.document.tiles;
  const [, tileWidth, tileHeight] = editor.document.tile;
  const [width, setWidth] = useState(tileWidth);
  const [height, setHeight] = useState(tileHeight);
  useEffect(() => {
    setWidth(tileWidth);
    setHeight(tileHeight);
  }, [tileWidth, tileHeight]);
  const edges =
    tiles.length === 1 ? [Math.min(width, height)] : tiles.map((t) => Math.min(t.width, t.height));
  const shortest = Math.min(...edges);
  const usual = format.usualPadding(...edges);
  const packed = atlas.padding !== UNSAID.padding || atlas.margin !== UNSAID.margin;
  const [found, setAll] = useKept<KeptPack>(`pack ${atlas.id}`, {
    ...options.defaults,
    padding: packed ? atlas.padding : null,
    margin: packed ? atlas.margin : null,
  });
  // Settings that were kept under names that are none any more are not sent.
  const known = Object.fromEntries(
    Object.entries(found).filter(([name]) => name in options.defaults),
  ) as KeptPack;
  // As long as nobody says otherwise the distances follow the size of the tile.
  const padding = known.padding ?? usual;
  const s: PackSettings = { ...known, padding, margin: known.margin ?? padding / 2 };
  const { choices, bounds } = options;
  const set = (change: Partial<PackSettings>) => setAll({ ...known, ...change });
  const [scope, setScope] = useKept<(typeof SCOPE)[number]>("pack scope", "all");
  const [more, setMore] = useKept("pack more", false);
  const [only, setOnly] = useKept<number | null>("pack into", null);
  const chosen = tiles.find((t) => t.number === only && !t.frozen);
  const setDrafts = useUi((ui) => ui.setDrafts);
  const drafts = useDrafts(atlas.id).data?.length ?? 0;
  const picked = editor.selection.list();
  const count =
    scope === "selected" ? picked.length : (editor.document.info?.world_area.length ?? 0);
  const busy = running(jobs, "pack");
  const revision = editor.document.info?.revision;
  const cost = revision?.tidy_cost ?? null;
  const stays = s.density === "fixed" || s.density === "house";
  const even = s.density === "equal" || s.density === "house";
  const density = (fixed: boolean, evenly: boolean) =>
    set({ density: DENSITIES[Number(fixed)][Number(evenly)] });
  const rest = useMore("pack", SHOWN);
  const run = (draft: boolean) =>
    packAction.run({
      ...rest,
      ...s,
      more_tiles: stays && s.more_tiles,
      islands: scope === "selected" ? picked : [],
      draft,
      tile: chosen?.number ?? null,
      ...(tiles.length === 1 ? { size: `${width}x${height}` } : {}),
    });
  return (
    <>
      <Title
        note={
          scope === "selected"
            ? "Fits the selected islands into free space; nothing else moves."
            : `Fit ${format.whole(count)} islands into ${tiles.length} ${tiles.length === 1 ? "tile" : "tiles"} ${stays ? "at the size they have" : "at the largest common scale"}.`
        }
      >
        Pack
      </Title>
      {/* While a pack is asked for, what is shown is not what will be asked about. */}
      {!busy && !packAction.busy && (
        <LimitPart
          limit={revision?.limit}
          asking={limitAction.busy || running(jobs, "limit")}
          ask={
            revision?.verb === "pack" && revision.id === atlas.head.id
              ? () => limitAction.run({})
              : null
          }
          settings={s}
          set={set}
        />
      )}
      <PresetRow project={project} settings={s} apply={(kept) => set(kept)} />
      {tiles.length === 1 && (
        <Flex align="center" justify="space-between" mb="1.5" gap="1">
          <Text>Tile</Text>
          <Flex align="center" gap="1">
            <SizeField label="Tile width" value={width} onChange={setWidth} />×
            <SizeField label="Tile height" value={height} onChange={setHeight} />
            <Text color="soft" w="16px">
              px
            </Text>
          </Flex>
        </Flex>
      )}
      <NumberField
        label="Padding"
        unit="px"
        value={s.padding}
        {...bounds("padding")}
        onChange={(padding) => set({ padding })}
      />
      <Text color="petrol" fontSize="12px" mt="-1" mb="1.5">
        {lastLine(s.padding, shortest)}
        {usual !== s.padding && (
          <Button
            size="2xs"
            variant="plain"
            h="18px"
            px="1"
            color="petrol"
            textDecoration="underline"
            title={`Common practice: 1/128 of the tile, so that gaps stay open down to ${format.whole(usual > 0 ? shortest / usual : 0)} px; half of it to the edge`}
            onClick={() => set({ padding: usual, margin: usual / 2 })}
          >
            usual: {usual} px
          </Button>
        )}
      </Text>
      <NumberField
        label="Edge margin"
        unit="px"
        value={s.margin}
        {...bounds("margin")}
        onChange={(margin) => set({ margin })}
      />
      <Choice
        label="Rotation"
        value={s.rotate}
        options={choices("rotate")}
        onChange={(rotate) => set({ rotate })}
      />
      {s.rotate === "free" && (
        <NumberField
          label="Steps of a full turn"
          unit=""
          value={s.free_steps}
          {...bounds("free_steps")}
          onChange={(free_steps) => set({ free_steps: Math.round(free_steps) })}
        />
      )}
      <Choice
        label="Size"
        value={stays ? "keep" : "shrink"}
        options={SIZE}
        onChange={(size) => density(size === "keep", even)}
        names={{ shrink: "all scale to fit", keep: "keep" }}
      />
      <Check
        label={stays ? "Even out to the house density first" : "Even out first"}
        value={even}
        onChange={(on) => density(stays, on)}
      />
      {stays && (
        <Check
          label="Add tiles until all fit"
          value={s.more_tiles}
          onChange={(more_tiles) => set({ more_tiles })}
        />
      )}
      {tiles.length > 1 && (
        <Flex align="center" justify="space-between" mb="2">
          <Text>Into</Text>
          <NativeSelect.Root size="xs" w="128px">
            <NativeSelect.Field
              aria-label="Into which tile"
              value={chosen?.number ?? ""}
              onChange={(e) => setOnly(Number(e.target.value) || null)}
            >
              <option value="">all tiles</option>
              {tiles.map((t) => (
                <option key={t.number} value={t.number} disabled={t.frozen}>
                  only {t.number}
                  {t.frozen ? " (frozen)" : ""}
                </option>
              ))}
            </NativeSelect.Field>
            <NativeSelect.Indicator />
          </NativeSelect.Root>
        </Flex>
      )}
      {tiles.length > 1 && !chosen && (
        <Choice
          label="Fill tiles"
          value={s.order}
          options={choices("order")}
          onChange={(order) => set({ order })}
          names={{ spread: "evenly" }}
        />
      )}
      <Collapsible.Root open={more} onOpenChange={(e) => setMore(e.open)}>
        <Collapsible.Trigger asChild>
          <Button size="2xs" variant="plain" px="0" color="petrol" fontSize="12.5px">
            {more ? "Fewer settings" : "More settings"}
          </Button>
        </Collapsible.Trigger>
        <Collapsible.Content>
          <Range
            label="Tidy"
            value={s.tidy}
            left="tight"
            right="one region per object"
            onChange={(tidy) => set({ tidy })}
          />
          {cost !== null && (
            <Text color="petrol" fontSize="12px" mt="-1" mb="1.5" data-tidy-cost>
              In this layout tidiness costs {format.percent(cost)} % of coverage, by quick packs
              with it and without.
            </Text>
          )}
          <Choice
            label="Materials apart"
            value={s.apart}
            options={choices("apart")}
            onChange={(apart) => set({ apart })}
            names={{ no: "together" }}
          />
          {s.apart === "regions" && (
            <NumberField
              label="Gap between them"
              unit="px"
              value={s.apart_gap}
              {...bounds("apart_gap")}
              onChange={(apart_gap) => set({ apart_gap })}
            />
          )}
          <Check
            label="Turn to the tightest upright box"
            value={s.upright}
            onChange={(upright) => set({ upright })}
          />
          <Check
            label="Any island may be flipped"
            value={s.mirror}
            onChange={(mirror) => set({ mirror })}
          />
          <NumberField
            label="Seed"
            unit=""
            value={s.seed}
            {...bounds("seed")}
            onChange={(seed) => set({ seed: Math.round(seed) })}
          />
          <MoreOptions operation="pack" shown={SHOWN} folded={false} />
        </Collapsible.Content>
      </Collapsible.Root>
      <Choice
        label="Islands"
        value={scope}
        options={SCOPE}
        onChange={(next) => {
          setScope(next);
          density(next === "selected", even);
        }}
        names={{ selected: `fill around (${picked.length})` }}
      />
      <Choice
        label="Effort"
        value={s.effort}
        options={choices("effort")}
        onChange={(effort) => set({ effort })}
      />
      {!busy && tiles.length === 1 && (
        <Text color="soft" fontSize="12px" mb="1.5">
          {format.rawMegabytes(width, height)} MB per texture, 8-bit with mips
        </Text>
      )}
      <Foot>
        {!busy && (
          <MainButton disabled={!count} busy={packAction.busy} onClick={() => run(false)}>
            Pack {format.counted(count, "island")}
          </MainButton>
        )}
        {!busy && (
          <Flex mt="1.5" gap="1.5">
            <Button
              flex="1"
              size="xs"
              variant="outline"
              borderColor="line"
              disabled={!count || packAction.busy}
              onClick={() => run(true)}
            >
              Pack as draft
            </Button>
            <Button
              flex="1"
              size="xs"
              variant="outline"
              borderColor="line"
              onClick={() => setDrafts(true)}
            >
              Drafts ({drafts})
            </Button>
          </Flex>
        )}
        <Running jobs={jobs} kind="pack" />
      </Foot>
    </>
  );
}

function lastLine(padding: number, size: number): string {
  const mip = format.lastMip(padding, size);
  return mip
    ? `holds down to mip ${mip.level} (${mip.size} px)`
    : "closes at once: neighbours touch";
}

function SizeField({
  label,
  value,
  onChange,
}: {
  label: string;
  value: number;
  onChange: (value: number) => void;
}) {
  const [text, setText] = useState(String(value));
  useEffect(() => setText(String(value)), [value]);
  const keep = () => {
    const typed = Math.round(Number(text));
    if (typed >= 16 && typed <= 16384) onChange(typed);
    else setText(String(value));
  };
  return (
    <Box as="span">
      <Input
        size="xs"
        w="54px"
        px="1"
        textAlign="center"
        aria-label={label}
        value={text}
        onChange={(e) => setText(e.target.value)}
        onBlur={keep}
        onKeyDown={(e) => e.key === "Enter" && keep()}
      />
    </Box>
  );
}
