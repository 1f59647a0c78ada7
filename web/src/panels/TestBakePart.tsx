import { useAction } from "../api/actions/act";
import { Box, Button, Flex, Link, NativeSelect, Slider, Text } from "@chakra-ui/react";
import { useId } from "react";
import type { Atlas, BakeRequest } from "../api/client";
import { useEditor } from "../api/hooks";
import { lastTestBake, MAPS, type BakedMap, type TestBaked } from "../api/testBake";
import * as format from "../format";
import { useTileImages } from "../api/tileImages";
import { usePaint } from "../paint";
import { useMapView } from "../testBake";
import { useKept } from "../state";
import { Pick, Row } from "./merge/fields";
import { Check, Foot, MainButton, NumberField, Running, running, Title } from "./parts";
import { MoreOptions, useMore } from "./MoreOptions";
import type { PanelProps } from "./props";

type Kept = Pick<
  Required<BakeRequest>,
  | "pairs"
  | "maps"
  | "along"
  | "samples"
  | "rays"
  | "ids"
  | "bits"
  | "green_down"
  | "mip_level"
  | "distances"
  | "smooth"
  | "together"
> & {
  width: number;
  distance: number;
  occlusion_distance: number;
  thickness_distance: number;
  curvature: number;
};
type MapName = Kept["maps"][number];

const USUAL: Kept = {
  pairs: "by-name",
  maps: ["normal", "occlusion"],
  width: 1024,
  distance: 0,
  along: "smooth",
  samples: 1,
  rays: 64,
  occlusion_distance: 0,
  ids: "material",
  bits: 8,
  green_down: false,
  mip_level: 2,
  distances: {},
  thickness_distance: 0,
  curvature: 0,
  smooth: 45,
  together: false,
};
const SHOWN = [...Object.keys(USUAL), "difference", "name", "naming"];
const SIZES = [0, 512, 1024, 2048, 4096, 8192];
const PAIRS = {
  "by-name": "pairs by name, else itself",
  named: "…_high onto …_low",
  every: "all high onto all low",
  itself: "each onto itself",
} as const;

/** What the server is asked: 0 stands for what it finds itself. */
function requestOf({
  width,
  distance,
  occlusion_distance,
  thickness_distance,
  curvature,
  ...rest
}: Kept): Omit<BakeRequest, "change"> {
  return {
    ...rest,
    width: width || null,
    distance: distance || null,
    occlusion_distance,
    thickness_distance,
    curvature,
  };
}

/** The test bake: a small bake of our own, and what it shows to be wrong. */
export function TestBakePart({ atlas, jobs }: PanelProps) {
  const bakeAction = useAction("bake");
  const [kept, keep] = useKept<Kept>("testBake", USUAL);
  const [more, setMore] = useKept("testBake more", false);
  const [open, setOpen] = useKept("testBake settings", false);
  const rest = useMore("bake", SHOWN);
  const id = useId();
  const change = (some: Partial<Kept>) => keep({ ...kept, ...some });
  const last = lastTestBake(jobs, atlas);
  const sheet = (atlas.head.tiles as [number, number, number][])[0]?.[1] ?? 2048;
  const rays = kept.maps.includes("occlusion") || kept.maps.includes("thickness");
  return (
    <>
      <Title note="A small bake of our own shows whether the layout holds. It is for looking, not for production.">
        Test bake
      </Title>
      {last?.baked && (
        <Found baked={last.baked} job={last.job.id} stale={last.baked.revision !== atlas.head.id} />
      )}
      {last && <Looking />}
      {last && (
        <Button
          size="2xs"
          variant="plain"
          px="0"
          color="petrol"
          fontSize="12.5px"
          mb="1"
          aria-expanded={open}
          onClick={() => setOpen(!open)}
        >
          {open
            ? "Fold the settings"
            : `Settings: ${kept.maps.map((name) => MAPS[name]).join(", ") || "no map"}`}
        </Button>
      )}
      {(open || !last) && (
        <>
          <Row label="Bake" id={`${id}w`}>
            <Pick
              id={`${id}w`}
              value={kept.pairs}
              options={PAIRS}
              onChange={(v) => change({ pairs: v as Kept["pairs"] })}
            />
          </Row>
          <Flex wrap="wrap" columnGap="2" mb="1" role="group" aria-label="Maps">
            {(Object.keys(MAPS) as MapName[]).map((name) => (
              <Box key={name} w="98px">
                <Check
                  label={MAPS[name]}
                  value={kept.maps.includes(name)}
                  onChange={(on) =>
                    change({
                      maps: (Object.keys(MAPS) as MapName[]).filter((one) =>
                        one === name ? on : kept.maps.includes(one),
                      ),
                    })
                  }
                />
              </Box>
            ))}
          </Flex>
          <Row label="Size" id={`${id}s`}>
            <Pick
              id={`${id}s`}
              value={String(kept.width)}
              options={Object.fromEntries(
                SIZES.map((s) => [String(s), s ? `${s} px` : `as the tile, ${sheet} px`]),
              )}
              onChange={(v) => change({ width: Number(v) })}
            />
          </Row>
          <NumberField
            label="Ray distance"
            unit={kept.distance ? "m" : "auto"}
            value={kept.distance}
            min={0}
            max={1e6}
            step={0.01}
            onChange={(distance) => change({ distance })}
          />
          <OwnReach kept={kept.distances} change={(distances) => change({ distances })} />
          <PaintReach atlas={atlas} />
          <Button
            size="2xs"
            variant="plain"
            px="0"
            color="petrol"
            fontSize="12.5px"
            mb="1"
            aria-expanded={more}
            onClick={() => setMore(!more)}
          >
            {more ? "Less" : "Rays, samples, ids"}
          </Button>
          {more && (
            <Box mb="1">
              <Row label="Ray distance" id={`${id}a`}>
                <Pick
                  id={`${id}a`}
                  value={kept.along}
                  options={{
                    smooth: "along smooth normals",
                    faces: "along the faces",
                    cage: "from …_cage objects",
                  }}
                  onChange={(v) => change({ along: v as Kept["along"] })}
                />
              </Row>
              <Row label="Samples" id={`${id}m`}>
                <Pick
                  id={`${id}m`}
                  value={String(kept.samples)}
                  options={{ 1: "1 a texel", 4: "4 a texel", 9: "9 a texel", 16: "16 a texel" }}
                  onChange={(v) => change({ samples: Number(v) as Kept["samples"] })}
                />
              </Row>
              {rays && (
                <NumberField
                  label="Occlusion"
                  unit="rays"
                  value={kept.rays}
                  min={1}
                  max={1024}
                  step={16}
                  onChange={(value) => change({ rays: value })}
                />
              )}
              {kept.maps.includes("occlusion") && (
                <NumberField
                  label="Occlusion distance"
                  unit={kept.occlusion_distance ? "m" : "any"}
                  value={kept.occlusion_distance}
                  min={0}
                  max={1e6}
                  step={0.1}
                  onChange={(occlusion_distance) => change({ occlusion_distance })}
                />
              )}
              {kept.maps.includes("id") && (
                <Row label="Ids of" id={`${id}i`}>
                  <Pick
                    id={`${id}i`}
                    value={kept.ids}
                    options={{ object: "objects", island: "islands", material: "materials" }}
                    onChange={(v) => change({ ids: v as Kept["ids"] })}
                  />
                </Row>
              )}
              <Row label="Bits a channel" id={`${id}b`}>
                <Pick
                  id={`${id}b`}
                  value={String(kept.bits)}
                  options={{ 8: "8", 16: "16", 32: "32, OpenEXR" }}
                  onChange={(v) => change({ bits: Number(v) as Kept["bits"] })}
                />
              </Row>
              {kept.maps.includes("thickness") && (
                <NumberField
                  label="White is thicker than"
                  unit={kept.thickness_distance ? "m" : "auto"}
                  value={kept.thickness_distance}
                  min={0}
                  max={1e6}
                  step={0.05}
                  onChange={(thickness_distance) => change({ thickness_distance })}
                />
              )}
              {kept.maps.includes("curvature") && (
                <NumberField
                  label="White bends by"
                  unit={kept.curvature ? "m" : "auto"}
                  value={kept.curvature}
                  min={0}
                  max={1e6}
                  step={0.01}
                  onChange={(curvature) => change({ curvature })}
                />
              )}
              <NumberField
                label="High poly is smooth below"
                unit="°"
                value={kept.smooth}
                min={0}
                max={180}
                step={5}
                onChange={(smooth) => change({ smooth })}
              />
              <NumberField
                label="Clean down to mip"
                unit="level"
                value={kept.mip_level}
                min={0}
                max={12}
                onChange={(mip_level) => change({ mip_level })}
              />
              <Check
                label="Pairs see one another"
                value={kept.together}
                onChange={(together) => change({ together })}
              />
              <Check
                label="Green of normals points down"
                value={kept.green_down}
                onChange={(green_down) => change({ green_down })}
              />
              <MoreOptions operation="bake" shown={SHOWN} folded={false} />
            </Box>
          )}
        </>
      )}
      <Foot>
        <MainButton
          disabled={!atlas.objects || !kept.maps.length || running(jobs, "bake")}
          busy={bakeAction.busy}
          onClick={() => bakeAction.run({ ...rest, ...requestOf(kept) })}
        >
          Test bake
        </MainButton>
        <Running jobs={jobs} kind="bake" />
      </Foot>
    </>
  );
}

/** The light, the wipe and the mip level on the model. */
function Looking() {
  const { maps } = useEditor("maps");
  const { light, mip, withoutTo, besideHighPoly } = maps.view;
  return (
    <Box borderTopWidth="1px" borderColor="line" pt="1.5" mb="2" data-testid="look-at-maps">
      <Text fontWeight="650" fontSize="12.5px" mb="1">
        On the model
      </Text>
      <Along
        label="Light from"
        value={light}
        min={-180}
        max={180}
        step={5}
        said={`${light}°`}
        onChange={(value) => maps.look({ light: value })}
      />
      <Along
        label={maps.highPoly && besideHighPoly ? "The high poly mesh" : "Without maps"}
        value={100 * withoutTo}
        min={0}
        max={100}
        step={5}
        said={withoutTo ? `left ${Math.round(100 * withoutTo)} %` : "nowhere"}
        onChange={(value) => maps.look({ withoutTo: value / 100 })}
      />
      {maps.highPoly && (
        <Check
          label="Left of it the high poly mesh"
          value={besideHighPoly}
          onChange={(on) => maps.look({ besideHighPoly: on, withoutTo: withoutTo || 0.5 })}
        />
      )}
      <Along
        label="Mip level"
        value={mip}
        min={0}
        max={7}
        step={1}
        said={mip ? `${mip}, ${1024 >> mip} px` : "as it fits"}
        onChange={(value) => maps.look({ mip: value })}
      />
    </Box>
  );
}

/** Another distance for objects that are selected. */
function OwnReach({
  kept,
  change,
}: {
  kept: Record<string, number>;
  change: (kept: Record<string, number>) => void;
}) {
  const editor = useEditor("selection", "document");
  const picked = [
    ...new Set(
      editor.selection.list().map((island) => editor.document.objectOf(island)?.name ?? ""),
    ),
  ].filter((name) => name && !(name in kept));
  const without = (name: string) =>
    Object.fromEntries(Object.entries(kept).filter(([one]) => one !== name));
  return (
    <Box mb="1">
      {Object.entries(kept).map(([name, metres]) => (
        <Flex key={name} align="center" gap="1" css={{ "& > :first-of-type": { flex: 1 } }}>
          <NumberField
            label={name}
            unit="m"
            value={metres}
            min={1e-6}
            max={1e6}
            step={0.01}
            onChange={(value) => change({ ...kept, [name]: value })}
          />
          <Button
            size="2xs"
            variant="ghost"
            px="1"
            mb="1.5"
            aria-label={`${name} as all others`}
            title="As all others"
            onClick={() => change(without(name))}
          >
            ×
          </Button>
        </Flex>
      ))}
      {picked.length > 0 && picked.length < 20 && (
        <Button
          size="2xs"
          variant="plain"
          px="0"
          color="petrol"
          fontSize="12.5px"
          onClick={() =>
            change({ ...kept, ...Object.fromEntries(picked.map((name) => [name, 0.02])) })
          }
        >
          Another ray distance for {picked.length === 1 ? picked[0] : `${picked.length} objects`}
        </Button>
      )}
    </Box>
  );
}

/** Distances painted on the sheets. */
function PaintReach({ atlas }: { atlas: Atlas }) {
  const { on, value, width, set, fill } = usePaint();
  const { list, take } = useTileImages(atlas, "reach");
  const id = useId();
  return (
    <Box mb="1">
      <Button
        size="2xs"
        variant={on ? "solid" : "outline"}
        bg={on ? "petrol" : undefined}
        color={on ? "onPetrol" : "petrol"}
        borderColor="petrol"
        aria-pressed={on}
        title="Paint on the tiles where rays go less far"
        onClick={() => set({ on: !on })}
      >
        Paint the ray distance
      </Button>
      {list.length > 0 && (
        <Flex align="center" gap="2" fontSize="12px">
          <Text color="soft">
            {list.length === 1 ? "One tile is painted." : `${list.length} tiles are painted.`}
          </Text>
          <Button
            size="2xs"
            variant="plain"
            px="0"
            color="petrol"
            aria-label="Take the painting away"
            title="The same ray distance everywhere"
            onClick={() => list.forEach((one) => take.mutate(one.tile))}
          >
            Take it away
          </Button>
        </Flex>
      )}
      {on && (
        <Box mt="1.5">
          <Row label="Paint" id={`${id}p`}>
            <Pick
              id={`${id}p`}
              value={String(value)}
              options={{
                0: "no ray distance",
                0.1: "10 % of it",
                0.25: "25 % of it",
                0.5: "half of it",
                0.75: "75 % of it",
                1: "the whole",
              }}
              onChange={(v) => set({ value: Number(v) })}
            />
          </Row>
          <Along
            label="Brush"
            value={width}
            min={4}
            max={200}
            step={4}
            said={`${width} px`}
            onChange={(v) => set({ width: v })}
          />
          <Button size="2xs" variant="outline" borderColor="line" onClick={fill}>
            Fill the selected islands
          </Button>
        </Box>
      )}
    </Box>
  );
}

type AlongProps = {
  label: string;
  value: number;
  min: number;
  max: number;
  step: number;
  said: string;
  onChange: (value: number) => void;
};

function Along({ label, value, min, max, step, said, onChange }: AlongProps) {
  return (
    <Slider.Root
      size="sm"
      mb="1"
      min={min}
      max={max}
      step={step}
      value={[value]}
      onValueChange={(e) => onChange(e.value[0])}
      aria-label={[label]}
    >
      <Flex justify="space-between" fontSize="12px">
        <Slider.Label fontSize="12px" fontWeight="400">
          {label}
        </Slider.Label>
        <Text color="soft">{said}</Text>
      </Flex>
      <Slider.Control>
        <Slider.Track bg="line">
          <Slider.Range bg="petrol" />
        </Slider.Track>
        <Slider.Thumb index={0} bg="panel" borderColor="petrol" />
      </Slider.Control>
    </Slider.Root>
  );
}

function Found({ baked, job, stale }: { baked: TestBaked; job: number; stale: boolean }) {
  const [, turn] = useKept("check part", "Findings");
  const { map, show } = useMapView();
  const shown = baked.asked.includes(map) ? map : baked.asked[0];
  const now = baked.maps.filter((one) => one.map === shown);
  const count = baked.findings.length;
  const worst = [...baked.seams]
    .filter((seam) => seam.map === shown)
    .sort((a, b) => b.high - a.high)[0];
  return (
    <Box mb="2" fontSize="12.5px" data-testid="baked">
      <Flex justify="space-between" align="center" mb="1">
        <Text fontWeight="650">
          {stale
            ? "Of an earlier layout"
            : baked.whole
              ? "Baked"
              : "Stopped; what was there is kept"}
        </Text>
        <Link href={`/api/jobs/${job}/download/`} download color="petrol">
          Maps as zip
        </Link>
      </Flex>
      {count === 0 ? (
        <Text>Nothing was found to be wrong.</Text>
      ) : (
        <Button
          size="2xs"
          variant="outline"
          borderColor="petrol"
          color="petrol"
          mb="1"
          onClick={() => turn("Findings")}
        >
          {count} {count === 1 ? "finding" : "findings"} in the list
        </Button>
      )}
      <Text color="soft" fontSize="12px">
        {pairsSaid(baked)}. Ray distance {baked.outward.toPrecision(2)} m.
      </Text>
      {baked.notes.map((note) => (
        <Text key={note} color="soft" fontSize="12px" lineHeight="1.35" mt="0.5">
          {note}
        </Text>
      ))}
      {baked.asked.length > 1 && (
        <NativeSelect.Root size="xs" mt="1.5" mb="1">
          <NativeSelect.Field aria-label="Map" value={shown} onChange={(e) => show(e.target.value)}>
            {baked.asked.map((one) => (
              <option key={one} value={one}>
                {MAPS[one] ?? one}
              </option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
      )}
      {now.map((one) => (
        <MapFacts key={one.file} one={one} many={now.length > 1} />
      ))}
      {baked.difference?.map((one) => (
        <Text
          key={one.tile}
          color="soft"
          fontSize="12px"
          title="The angle between what the normal map shows between its texels and the high poly mesh"
        >
          {baked.difference.length > 1 ? `Tile ${one.tile}: off` : "Off"} from the high poly mesh by{" "}
          {one.median.toFixed(1)}° in the middle, {one.at_99.toFixed(1)}° at 99 %.
        </Text>
      ))}
      {!baked.fine && baked.fine_triangles > 0 && baked.difference?.length > 0 && (
        <Text color="soft" fontSize="12px">
          The high poly mesh has {format.whole(baked.fine_triangles)} triangles: too many to be
          shown beside.
        </Text>
      )}
      {worst && (
        <Text
          color="soft"
          fontSize="12px"
          title="What the map says on both sides of each seam, compared in space; at 95 of 100 points it differs less than the second figure"
        >
          Worst seam: {worst.median.toFixed(1)} {worst.unit} in the middle, {worst.high.toFixed(1)}{" "}
          {worst.unit} at 95 %.
        </Text>
      )}
    </Box>
  );
}

/** What met what, in words. */
function pairsSaid({ pairs }: TestBaked): string {
  const met = pairs.filter((pair) => pair.low.join() !== pair.high.join());
  const alone = pairs
    .filter((pair) => pair.low.join() === pair.high.join())
    .reduce((sum, pair) => sum + pair.low.length, 0);
  const said = met.slice(0, 3).map((pair) => `${pair.high.join(", ")} onto ${pair.low.join(", ")}`);
  if (met.length > 3) said.push(`${met.length - 3} more pairs`);
  if (alone)
    said.push(
      `${format.whole(alone)} ${alone === 1 ? "object onto itself" : "objects onto themselves"}`,
    );
  return said.join("; ");
}

function MapFacts({ one, many }: { one: BakedMap; many: boolean }) {
  const { missed, histogram, black = 0, white = 0, range_m, radius_m } = one.figures;
  const clipped = black + white;
  return (
    <Box mb="1">
      <Flex justify="space-between" fontSize="12px">
        <Text color="soft">
          {many ? `tile ${one.tile}, ` : ""}
          {one.width} × {one.height} px
        </Text>
        <Text color="soft">{missed ? `${format.percent(missed)} % missed` : "all rays met"}</Text>
      </Flex>
      {histogram && <Levels bins={histogram} />}
      {histogram && (
        <Text fontSize="12px" color={clipped > 0.02 && one.map !== "occlusion" ? "amber" : "soft"}>
          {format.percent(black)} % black, {format.percent(white)} % white
          {range_m ? `; black to white is ${(2 * range_m).toPrecision(2)} m` : ""}
          {radius_m ? `; white bends by ${radius_m.toPrecision(2)} m` : ""}
        </Text>
      )}
    </Box>
  );
}

/** How often each of 32 steps of grey is there. */
function Levels({ bins }: { bins: number[] }) {
  const most = Math.max(...bins, 1);
  return (
    <svg
      viewBox="0 0 206 30"
      width="100%"
      height="30"
      role="img"
      aria-label={`Levels from black to white; the fullest of 32 steps holds ${format.whole(most)} texels`}
    >
      {bins.map((count, k) => (
        <rect
          key={k}
          x={k * 6.44}
          width="5.6"
          y={30 - 29 * Math.sqrt(count / most)}
          height={29 * Math.sqrt(count / most)}
          fill={k === 0 || k === bins.length - 1 ? "#8A5A00" : "#2E5E62"}
        />
      ))}
    </svg>
  );
}
