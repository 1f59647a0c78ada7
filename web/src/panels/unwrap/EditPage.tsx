import { useAction } from "../../api/actions/act";
import { Box, Button, Flex, NativeSelect, Text } from "@chakra-ui/react";
import type { ReactNode } from "react";
import type { BodyOf } from "../../api/actions/requests";
import { useEditor } from "../../api/hooks";
import { useKept, useUi } from "../../state";
import { Check, Foot, NumberField, Range, running, Title } from "../parts";
import type { PanelProps } from "../props";
import { FaceTools, PickedLine } from "./PickRow";

const SHAPES = ["plane", "box", "cylinder", "cone", "sphere"] as const;
const AXES = {
  average: "by the faces",
  x: "X",
  y: "Y (up)",
  z: "Z",
  view: "as I look at it",
} as const;
const WAYS = {
  level: "level",
  middle: "upright",
  left: "left",
  right: "right",
  top: "top",
  bottom: "bottom",
  line: "on a line",
  even: "evenly on a line",
} as const;

/** Edits of what is selected: islands, faces, edges or vertices. */
export function EditPage({ jobs }: PanelProps) {
  const editAction = useAction("edit");
  const editor = useEditor("picks", "selection", "document");
  const { picks, selection } = editor;
  const [balance, setBalance] = useKept("balance", 0.5);
  const [hold, setHold] = useKept("hold border", false);
  const [stretch, setStretch] = useKept("join stretch", 1.05);
  const [gap, setGap] = useKept("near gap", 0.5);
  const [side, setSide] = useKept("tiny island side", 8);
  const [weld, setWeld] = useKept("edit weld", 0.01);
  const [shape, setShape] = useKept<(typeof SHAPES)[number]>("projection", "plane");
  const [axis, setAxis] = useKept<keyof typeof AXES>("projection axis", "average");
  const [way, setWay] = useKept<keyof typeof WAYS>("line up", "level");
  const [trying, setTrying] = useKept("edit as a draft", false);
  const busy = running(jobs, "edit") || editAction.busy;
  const [faces, edges, corners] = [
    picks.count("faces"),
    picks.count("edges"),
    picks.count("vertices"),
  ];
  const islands = selection.size;
  // What the strip says is selected counts: islands are edited whole, whatever is still selected of their faces.
  const whole = picks.mode === "islands" && islands > 0;
  const ofFacesNow = !whole && faces > 0;
  const region = faces || islands;
  const what = () =>
    faces || edges || corners ? { objects: picks.sent() } : { islands: selection.list() };
  // Of selected faces only those count; edges and vertices that are selected beside them are of other verbs.
  const ofFaces = () =>
    ofFacesNow
      ? { objects: picks.sent().map((own) => ({ ...own, edges: [], corners: [] })) }
      : { islands: selection.list() };
  const run = (edit: BodyOf<"edit">) => editAction.run({ draft: trying, ...edit });
  const common = { run, busy, of: what };
  return (
    <>
      <Title note="Select islands, faces, edges or vertices with the toolbar at the table; what cannot be done to them is grey.">
        Edit
      </Title>
      <PickedLine />
      {picks.mode === "faces" && <FaceTools />}
      <Part name="Cut and join">
        <Flex gap="1" wrap="wrap">
          <Do
            {...common}
            name="Cut"
            verb="cut"
            enabled={edges > 0}
            title="Along the selected edges; the larger part stays where it is"
          />
          <Do
            {...common}
            name="Split off"
            verb="split off"
            of={ofFaces}
            enabled={faces > 0}
            title="The selected faces become islands of their own"
          />
          <Do
            {...common}
            name="Unpick vertex"
            verb="unpick vertex"
            enabled={corners === 1}
            title="The selected vertex lets go of its neighbours"
          />
          <Do
            {...common}
            name="Join"
            verb="join"
            enabled={edges > 0}
            title="Along the selected edges; the smaller island comes over and is fitted"
          />
          <Do
            {...common}
            name="Cut folds"
            verb="cut folds"
            of={ofFaces}
            enabled={region > 0}
            title="Faces that are folded over become islands of their own"
          />
        </Flex>
        <NumberField
          label="Stretch up to"
          unit="L2"
          value={stretch}
          min={1.0005}
          max={4}
          step={0.01}
          onChange={setStretch}
        />
        <Do
          {...common}
          name="Fewer islands"
          verb="fewer islands"
          of={ofFaces}
          more={{ stretch }}
          enabled={region > 0}
          title="Join all neighbours among them whose joint stays below this stretch, the longest border first"
        />
      </Part>
      <Part name="Reduce stretch">
        <Range label="Keep" value={balance} left="angles" right="areas" onChange={setBalance} />
        <Check label="Hold the border" value={hold} onChange={setHold} />
        <Do
          {...common}
          name="Reduce stretch"
          verb="reduce stretch"
          of={ofFaces}
          more={{ balance, hold_border: hold }}
          enabled={region > 0}
          title="Less stretch, where it is; no face is turned over. Of selected faces only these change"
        />
        <Box h="1.5" />
        <Check
          label="Reduce stretch with the brush: faces it passes over, at once"
          value={picks.easing}
          onChange={(on) => {
            picks.set({ easing: on });
            if (on) picks.use("faces");
          }}
        />
        {(picks.easing || picks.drag === "brush") && (
          <NumberField
            label="Brush"
            unit="px wide"
            value={2 * picks.brush}
            min={4}
            max={400}
            step={4}
            onChange={(wide) => picks.set({ brush: wide / 2 })}
          />
        )}
      </Part>
      <Part name="Straighten">
        <Flex gap="1" wrap="wrap">
          <Do
            {...common}
            name="To a rectangle"
            verb="straighten"
            of={ofFaces}
            enabled={region > 0}
            title="A strip or grid of quads, its edges in proportion; other islands by their four strongest corners"
          />
          <Do
            {...common}
            name="Symmetric"
            verb="symmetrize"
            of={ofFaces}
            enabled={region > 0}
            title="Islands that lie across the middle of a symmetric object become symmetric themselves"
          />
          <Do
            {...common}
            name="Level"
            verb="level"
            enabled={edges > 0}
            title="The selected edges on level lines; the rest follows"
          />
          <Do
            {...common}
            name="Upright"
            verb="upright"
            enabled={edges > 0}
            title="The selected edges on upright lines; the rest follows"
          />
          <Do
            {...common}
            name="Round"
            verb="round"
            enabled={edges > 0}
            title="The selected closed loop on a circle; the rest follows"
          />
        </Flex>
      </Part>
      <Part name="Project">
        <Flex gap="1" mb="1.5">
          <Select
            label="Projection"
            value={shape}
            options={Object.fromEntries(SHAPES.map((s) => [s, s]))}
            onChange={(v) => setShape(v as typeof shape)}
          />
          <Select
            label="Axis"
            value={axis}
            options={AXES}
            onChange={(v) => setAxis(v as typeof axis)}
          />
        </Flex>
        <Do
          {...common}
          name="Project"
          verb="project"
          of={ofFaces}
          more={axis === "view" ? { shape, direction: [...editor.view.towards] } : { shape, axis }}
          enabled={region > 0}
          title="Selected faces, or whole islands; they come to the side table"
        />
      </Part>
      <Part name="Vertices">
        <Flex gap="1" align="center">
          <Select
            label="Line up"
            value={way}
            options={WAYS}
            onChange={(v) => setWay(v as typeof way)}
          />
          <Do
            {...common}
            name="Line up"
            verb="line up vertices"
            more={{ way }}
            enabled={corners > 1}
            title="The selected vertices. Drag them on the table to move them, with Ctrl by whole texels"
          />
        </Flex>
      </Part>
      <Part name="Clean">
        <NumberField
          label="Gap up to"
          unit="px"
          value={gap}
          min={0.001}
          max={64}
          step={0.25}
          onChange={setGap}
        />
        <Box mb="1.5">
          <Do
            {...common}
            name="Close near seams"
            verb="close near seams"
            of={ofFaces}
            more={{ gap }}
            enabled={region > 0}
            title="Seams whose sides lie that near meet in the middle"
          />
        </Box>
        <NumberField
          label="Side up to"
          unit="px"
          value={side}
          min={1}
          max={512}
          step={1}
          onChange={setSide}
        />
        <Do
          {...common}
          name="Merge tiny islands"
          verb="merge tiny islands"
          of={ofFaces}
          more={{ side }}
          enabled={region > 0}
          title="Islands smaller than a square of that side are joined to the neighbour with the longest border"
        />
        <Box h="1.5" />
        <NumberField
          label="Weld within"
          unit="% of size"
          value={weld}
          min={0}
          max={5}
          step={0.01}
          onChange={setWeld}
        />
        <Do
          {...common}
          name="Weld vertices"
          verb="weld"
          of={ofFaces}
          more={{ weld: weld / 100 }}
          enabled={region > 0}
          title="Vertices that near count as one for the layout, so that what lies beside them can be joined; the mesh stays as it is"
        />
      </Part>
      <Foot>
        <Check label="As a draft, beside the present layout" value={trying} onChange={setTrying} />
        <Button
          w="100%"
          size="xs"
          variant="outline"
          borderColor="line"
          onClick={() => useUi.getState().setDrafts(true)}
        >
          Drafts…
        </Button>
      </Foot>
    </>
  );
}

type DoProps = {
  run: (edit: BodyOf<"edit">) => void;
  busy: boolean;
  of: () => Partial<BodyOf<"edit">>;
  name: string;
  verb: BodyOf<"edit">["verb"];
  enabled: boolean;
  title: string;
  more?: Partial<BodyOf<"edit">>;
};

/** One verb as a button, grey while it has nothing to be done to. */
function Do({ run, busy, of, name, verb, enabled, title, more }: DoProps) {
  return (
    <Button
      size="2xs"
      variant="outline"
      borderColor="line"
      disabled={!enabled || busy}
      title={title}
      onClick={() => run({ verb, ...of(), ...more })}
    >
      {name}
    </Button>
  );
}

function Part({ name, children }: { name: string; children: ReactNode }) {
  return (
    <Box borderTopWidth="1px" borderColor="line" pt="1.5" pb="1.5">
      <Text fontWeight="650" fontSize="12.5px" mb="1">
        {name}
      </Text>
      {children}
    </Box>
  );
}

function Select({
  label,
  value,
  options,
  onChange,
}: {
  label: string;
  value: string;
  options: Record<string, string>;
  onChange: (value: string) => void;
}) {
  return (
    <NativeSelect.Root size="xs">
      <NativeSelect.Field
        aria-label={label}
        value={value}
        onChange={(e) => onChange(e.target.value)}
      >
        {Object.entries(options).map(([key, name]) => (
          <option key={key} value={key}>
            {name}
          </option>
        ))}
      </NativeSelect.Field>
      <NativeSelect.Indicator />
    </NativeSelect.Root>
  );
}
