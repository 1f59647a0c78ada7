import { useAction } from "../api/actions/act";
import { Box, Flex, NativeSelect, Text } from "@chakra-ui/react";
import { useId } from "react";
import { useHouse } from "../api/house";
import { oldWords, useEditor } from "../api/hooks";
import type { PanelProps } from "./props";
import * as format from "../format";
import { useKept } from "../state";
import { DetailPart } from "./DetailPart";
import { ProportionsPart } from "./ProportionsPart";
import {
  Choice,
  MainButton,
  NumberField,
  NumberInput,
  Pages,
  Running,
  running,
  Title,
} from "./parts";
import { VisibilityPart } from "./VisibilityPart";

const TARGETS = ["house", "average", "selected"] as const;
const SCOPES = ["all", "selected"] as const;
const KEEP = ["across all", "per object"] as const;

const UNITS = Object.keys(format.DENSITY_UNITS) as format.DensityUnit[];
const PARTS = ["Density", "Visibility", "Detail"] as const;

/** Even out has pages for the density, and for reasons for another one: what nobody sees, and what is plain. */
export function EvenOutPanel(props: PanelProps) {
  const [part, setPart] = useKept<(typeof PARTS)[number]>("even out part", "Density");
  return (
    <>
      <Pages label="Even out" pages={PARTS} page={part} turn={setPart} />
      <Box role="tabpanel" aria-label={part}>
        {part === "Density" && <DensityPart {...props} />}
        {part === "Visibility" && <VisibilityPart {...props} />}
        {part === "Detail" && <DetailPart {...props} />}
      </Box>
    </>
  );
}

function DensityPart({ jobs, project }: PanelProps) {
  const houseAction = useAction("house");
  const evenOutAction = useAction("even-out");
  const editor = useEditor("document", "selection", "view");
  const { show, keep: keepHouse } = useHouse(editor);
  const houseId = useId();
  const [target, setTarget] = useKept<(typeof TARGETS)[number]>("target", "house");
  const [scope, setScope] = useKept<(typeof SCOPES)[number]>("scope", "all");
  const [keep, setKeep] = useKept<(typeof KEEP)[number]>("average", "across all");
  const f = editor.document.info?.figures;
  const off = editor.outsideBand().length;
  const { houseBand, band } = editor.view;
  const picked = editor.selection.list();
  const object = picked.length > 1 ? editor.document.objectOf(picked[0]) : undefined;
  const wholeObject =
    object &&
    object.islands === picked.length &&
    picked[picked.length - 1] === object.first_island + object.islands - 1
      ? object
      : undefined;
  const pickedOne = picked.length === 1 || wholeObject !== undefined;
  const canRun =
    f !== undefined &&
    f !== null &&
    (target !== "selected" || pickedOne) &&
    (scope !== "selected" || picked.length > 0);
  const run = () =>
    evenOutAction.run({
      ...(target === "selected"
        ? wholeObject
          ? { like: wholeObject.id }
          : { density: editor.document.density(picked[0])! }
        : { density: target }),
      per_object: target === "average" && keep === "per object",
      islands: scope === "selected" ? picked : [],
    });
  return (
    <>
      <Title
        note={
          <>
            <Text as="span" data-old={oldWords(editor)}>
              {f
                ? `${format.whole(off)} of ${format.counted(f.island_density.length, "island")} are outside the house band.`
                : "Being measured."}
            </Text>{" "}
            Islands are scaled about their middles; pack them afterwards.
          </>
        }
      >
        Even out
      </Title>
      {(f?.flat_faces ?? 0) > 0 && (
        <Text color="soft" fontSize="12px" mb="1.5">
          {format.counted(f!.flat_faces ?? 0, "face")} without area in the layout or in space; they
          have no density.
        </Text>
      )}
      <Flex align="center" justify="space-between" mb="1.5">
        <label htmlFor={houseId}>House density</label>
        <Flex align="center" gap="1">
          <DensityInput
            id={houseId}
            value={editor.view.house}
            onChange={(density) => {
              if (density === null) return;
              show({ density });
              keepHouse();
            }}
          />
          <NativeSelect.Root size="xs" w="62px">
            <NativeSelect.Field
              aria-label="Densities in"
              ps="1"
              value={project.density_unit}
              onChange={(e) =>
                houseAction.run({ density_unit: e.target.value as format.DensityUnit })
              }
            >
              {UNITS.map((unit) => (
                <option key={unit}>{unit}</option>
              ))}
            </NativeSelect.Field>
            <NativeSelect.Indicator />
          </NativeSelect.Root>
        </Flex>
      </Flex>
      <NumberField
        label="Tolerance"
        unit="± %"
        value={Math.round(100 * houseBand.tolerance)}
        min={1}
        max={90}
        onChange={(value) => {
          show({ tolerance: value / 100 });
          keepHouse();
        }}
      />
      <Flex align="center" justify="space-between" mb="1.5" gap="1">
        <Text>Band</Text>
        <Flex align="center" gap="1">
          {(["least", "most"] as const).map((end, k) => (
            <DensityInput
              key={end}
              label={`At ${end}, ${format.densityUnit()}`}
              value={houseBand[end]}
              none={format.density(band[k])}
              onChange={(given) => {
                show(end === "least" ? { least: given } : { most: given });
                keepHouse();
              }}
            />
          ))}
          <Text color="soft" minW="30px">
            {format.densityUnit()}
          </Text>
        </Flex>
      </Flex>
      <Choice label="Draw them to" value={target} options={TARGETS} onChange={setTarget} />
      {target === "average" && (
        <Choice label="Average" value={keep} options={KEEP} onChange={setKeep} />
      )}
      {target === "selected" && (
        <Text color="soft" fontSize="12px" mb="2">
          {!pickedOne
            ? "Select one island, or one object in the object list."
            : wholeObject
              ? `To the density of ${wholeObject.name}.`
              : `To the ${format.densityIn(editor.document.density(picked[0]))} of the selected island.`}
        </Text>
      )}
      <Choice
        label="Islands"
        value={scope}
        options={SCOPES}
        onChange={setScope}
        names={{ selected: `selected (${picked.length})` }}
      />
      <MainButton
        disabled={!canRun || running(jobs, "even-out")}
        busy={evenOutAction.busy}
        onClick={run}
      >
        Even out
      </MainButton>
      <Text color="soft" fontSize="12px" mt="2">
        A weight in the object list makes a deliberate exception: 2 × is twice the density.
      </Text>
      <Factor />
      <Running jobs={jobs} kind="even-out" />
      <ProportionsPart />
    </>
  );
}

type DensityProps = {
  id?: string;
  label?: string;
  value: number | null;
  none?: string;
  onChange: (perMetre: number | null) => void;
};

/** A density in the unit of the project; it is told in px per metre. */
function DensityInput({ id, label, value, none, onChange }: DensityProps) {
  const shown = value === null ? null : format.inDensityUnit(value);
  const common = {
    id,
    label,
    narrow: true,
    min: format.inDensityUnit(0.01),
    max: format.inDensityUnit(1e6),
    step: format.inDensityUnit(8),
  };
  const tell = (typed: number | null) => onChange(typed === null ? null : format.perMetre(typed));
  return none === undefined ? (
    <NumberInput {...common} value={shown ?? 0} onChange={tell} />
  ) : (
    <NumberInput {...common} value={shown} none={none} onChange={tell} />
  );
}

/** How many times as dense one of two selected objects or islands is as the other. */
function Factor() {
  const editor = useEditor("document", "selection");
  const found = editor.densityFactor();
  return found ? (
    <Text fontSize="12.5px" mt="2" data-testid="density factor">
      {found.names[0]} has {format.densityIn(found.densities[0])}, {found.names[1]}{" "}
      {format.densityIn(found.densities[1])}: {Number(found.factor.toPrecision(3))} times.
    </Text>
  ) : null;
}
