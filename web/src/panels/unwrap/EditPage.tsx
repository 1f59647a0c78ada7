import { useAction } from "../../api/actions/act";
import { Box, Button, Flex, Grid, NativeSelect, Text } from "@chakra-ui/react";
import { createContext, useContext, type ReactNode } from "react";
import type { BodyOf } from "../../api/actions/requests";
import { useEditor } from "../../api/hooks";
import { Drawing } from "../../drawings/Drawing";
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
      <Part name="Edges" lacks={edges ? "" : "select edges"}>
        <Tiles>
          <Do
            {...common}
            name="Cut"
            verb="cut"
            title="Along the selected edges; the larger part stays where it is"
          />
          <Do
            {...common}
            name="Join"
            verb="join"
            title="Along the selected edges; the smaller island comes over and is fitted"
          />
          <Do
            {...common}
            name="Level"
            verb="level"
            title="The selected edges on level lines; the rest follows"
          />
          <Do
            {...common}
            name="Upright"
            verb="upright"
            title="The selected edges on upright lines; the rest follows"
          />
          <Do
            {...common}
            name="Round"
            verb="round"
            title="The selected closed loop on a circle; the rest follows"
          />
        </Tiles>
      </Part>
      <Part name="Vertices" lacks={corners ? "" : "select vertices"}>
        <Tiles>
          <Do
            {...common}
            name="Unpick vertex"
            verb="unpick vertex"
            lacks={corners > 1 ? "select one vertex only" : ""}
            title="The selected vertex lets go of its neighbours"
          />
          <Do
            {...common}
            name="Line up"
            verb="line up vertices"
            more={{ way }}
            lacks={corners === 1 ? "select two vertices or more" : ""}
            title="The selected vertices. Drag them on the table to move them, with Ctrl by whole texels"
          />
        </Tiles>
        <Select
          label="Line up"
          value={way}
          options={WAYS}
          onChange={(v) => setWay(v as typeof way)}
        />
      </Part>
      <Part name="Islands, or faces of them" lacks={region ? "" : "select islands or faces"}>
        <Tiles>
          <Do
            {...common}
            name="Split off"
            verb="split off"
            of={ofFaces}
            lacks={faces ? "" : "select faces"}
            title="The selected faces become islands of their own"
          />
          <Do
            {...common}
            name="Cut folds"
            verb="cut folds"
            of={ofFaces}
            title="Faces that are folded over become islands of their own"
          />
          <Do
            {...common}
            name="To a rectangle"
            verb="straighten"
            of={ofFaces}
            title="A strip or grid of quads, its edges in proportion; other islands by their four strongest corners"
          />
          <Do
            {...common}
            name="Symmetric"
            verb="symmetrize"
            of={ofFaces}
            title="Islands that lie across the middle of a symmetric object become symmetric themselves"
          />
          <Do
            {...common}
            name="Reduce stretch"
            verb="reduce stretch"
            of={ofFaces}
            more={{ balance, hold_border: hold }}
            title="Less stretch, where it is; no face is turned over. Of selected faces only these change"
          />
          <Do
            {...common}
            name="Project"
            verb="project"
            of={ofFaces}
            more={
              axis === "view" ? { shape, direction: [...editor.view.towards] } : { shape, axis }
            }
            title="Selected faces, or whole islands; they come to the side table"
          />
          <Do
            {...common}
            name="Fewer islands"
            verb="fewer islands"
            of={ofFaces}
            more={{ stretch }}
            title="Join all neighbours among them whose joint stays below this stretch, the longest border first"
          />
          <Do
            {...common}
            name="Close near seams"
            verb="close near seams"
            of={ofFaces}
            more={{ gap }}
            title="Seams whose sides lie that near meet in the middle"
          />
          <Do
            {...common}
            name="Merge tiny islands"
            verb="merge tiny islands"
            of={ofFaces}
            more={{ side }}
            title="Islands smaller than a square of that side are joined to the neighbour with the longest border"
          />
          <Do
            {...common}
            name="Weld vertices"
            verb="weld"
            of={ofFaces}
            more={{ weld: weld / 100 }}
            title="Vertices that near count as one for the layout, so that what lies beside them can be joined; the mesh stays as it is"
          />
        </Tiles>
      </Part>
      <Part name="How">
        <Range
          label="Reduce stretch, keep"
          value={balance}
          left="angles"
          right="areas"
          onChange={setBalance}
        />
        <Check label="Hold the border" value={hold} onChange={setHold} />
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
        <NumberField
          label="Fewer islands, up to"
          unit="L2"
          value={stretch}
          min={1.0005}
          max={4}
          step={0.01}
          onChange={setStretch}
        />
        <NumberField
          label="Near seams, gap up to"
          unit="px"
          value={gap}
          min={0.001}
          max={64}
          step={0.25}
          onChange={setGap}
        />
        <NumberField
          label="Tiny islands, side up to"
          unit="px"
          value={side}
          min={1}
          max={512}
          step={1}
          onChange={setSide}
        />
        <NumberField
          label="Weld within"
          unit="% of size"
          value={weld}
          min={0}
          max={5}
          step={0.01}
          onChange={setWeld}
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
  title: string;
  /** What has to be selected first, beside what its group needs. */
  lacks?: string;
  more?: Partial<BodyOf<"edit">>;
};

/** What the edits of a group wait for; empty where they can be done. */
const Lacking = createContext("");

/** One verb as its drawing and its word, grey while it has nothing to be done to. */
function Do({ run, busy, of, name, verb, lacks = "", title, more }: DoProps) {
  const missing = useContext(Lacking) || lacks;
  return (
    <Button
      variant="outline"
      borderColor="line"
      h="46px"
      minW="0"
      px="0.5"
      flexDirection="column"
      gap="0.5"
      fontSize="11px"
      lineHeight="1.05"
      whiteSpace="normal"
      disabled={Boolean(missing) || busy}
      title={missing ? `${title}. First ${missing}` : title}
      onClick={() => run({ verb, ...of(), ...more })}
    >
      <Drawing of={verb} height={17} />
      {name}
    </Button>
  );
}

function Tiles({ children }: { children: ReactNode }) {
  return (
    <Grid templateColumns="repeat(auto-fill, minmax(60px, 1fr))" gap="1" mb="1">
      {children}
    </Grid>
  );
}

function Part({
  name,
  lacks = "",
  children,
}: {
  name: string;
  lacks?: string;
  children: ReactNode;
}) {
  return (
    <Box borderTopWidth="1px" borderColor="line" pt="1.5" pb="1">
      <Flex mb="1" gap="2" align="baseline" justify="space-between" fontSize="12.5px">
        <Text fontWeight="650">{name}</Text>
        <Text color="soft" fontSize="12px">
          {lacks}
        </Text>
      </Flex>
      <Lacking.Provider value={lacks}>{children}</Lacking.Provider>
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
