import { useAction } from "../api/actions/act";
import { Box, Text } from "@chakra-ui/react";
import { useHouse } from "../api/house";
import { oldWords, useEditor } from "../api/hooks";
import type { PanelProps } from "./props";
import * as format from "../format";
import { useKept } from "../state";
import { ProportionsPart } from "./ProportionsPart";
import { Choice, MainButton, NumberField, Pages, Running, running, Title } from "./parts";
import { VisibilityPart } from "./VisibilityPart";

const TARGETS = ["house", "average", "selected"] as const;
const SCOPES = ["all", "selected"] as const;
const KEEP = ["across all", "per object"] as const;

const PARTS = ["Density", "Visibility"] as const;

/** Even out has two pages: the density, and what nobody sees, which is a reason for another one. */
export function EvenOutPanel(props: PanelProps) {
  const [part, setPart] = useKept<(typeof PARTS)[number]>("even out part", "Density");
  return (
    <>
      <Pages label="Even out" pages={PARTS} page={part} turn={setPart} />
      <Box role="tabpanel" aria-label={part}>
        {part === "Visibility" ? <VisibilityPart {...props} /> : <DensityPart {...props} />}
      </Box>
    </>
  );
}

function DensityPart({ jobs }: PanelProps) {
  const evenOutAction = useAction("even-out");
  const editor = useEditor("document", "selection", "view");
  const { show, keep: keepHouse } = useHouse(editor);
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
      <NumberField
        label="House density"
        unit="px/m"
        value={editor.view.house}
        min={0.01}
        max={1e6}
        step={8}
        onChange={(value) => {
          show({ density: value });
          keepHouse();
        }}
      />
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
      <NumberField
        label="At least"
        unit="px/m"
        value={houseBand.least}
        none={format.density(band[0])}
        min={0.01}
        max={1e6}
        step={8}
        onChange={(least: number | null) => {
          show({ least });
          keepHouse();
        }}
      />
      <NumberField
        label="At most"
        unit="px/m"
        value={houseBand.most}
        none={format.density(band[1])}
        min={0.01}
        max={1e6}
        step={8}
        onChange={(most: number | null) => {
          show({ most });
          keepHouse();
        }}
      />
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
              : `To the ${format.density(editor.document.density(picked[0]))} px/m of the selected island.`}
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
      <Running jobs={jobs} kind="even-out" />
      <ProportionsPart />
    </>
  );
}
