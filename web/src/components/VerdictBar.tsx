import { MEASURED } from "../editor/flags.generated";
import { Box, Button, Flex, NativeSelect, Popover, Portal, Text } from "@chakra-ui/react";
import { useLayoutEffect, useRef, useState } from "react";
import { oldWords, useEditor } from "../api/hooks";
import { groups, nextFinding } from "../editor/findings/walk";
import { VIEWS, type ViewAs } from "../editor/style/views";
import * as format from "../format";
import { useUi } from "../state";

/** The figures that decide, always in sight. Each button leads to its offenders one by one. */
export function VerdictBar() {
  const editor = useEditor("document", "figures", "view");
  const step = useRef<Record<string, number>>({});
  const f = editor.document.totals;
  const old = oldWords(editor);
  /** To the next finding of these kinds; while there is no report, to the next island that is flagged. */
  const lead = (name: string, islands: number[], kinds: string[] = []) => {
    const found =
      editor.figures.report && !editor.figures.stale
        ? groups(editor.figures.report)
            .filter((g) => kinds.includes(g.kind))
            .flatMap((g) => g.findings)
        : [];
    const next = nextFinding(found, editor.figures.finding, 1);
    if (next) return editor.showFinding(next);
    if (!islands.length) return;
    const at = (step.current[name] ?? -1) + 1;
    step.current[name] = at % islands.length;
    editor.select((selection) => selection.set([islands[at % islands.length]]));
    editor.frameSelection();
  };
  if (!f) {
    return (
      <Flex px="16px" align="center" color="soft">
        {editor.document.info ? "measuring the layout…" : "nothing to measure yet"}
      </Flex>
    );
  }
  const findBare = (names: string[]) => {
    const { filter, setFilter } = useUi.getState();
    setFilter(names[names.indexOf(filter) + 1] ?? "");
  };
  const outliers = editor.outsideBand();
  const bare = (editor.document.info?.objects ?? []).filter((o) => o.unflattened);
  const gapBad = f.overlap_pairs > 0 || (f.gap_px !== null && f.gap_px < 1);
  const gauges: FigureProps[] = [
    {
      name: "density",
      tone: outliers.length ? "amber" : undefined,
      onClick: () => lead("density", outliers, ["below density", "over-detailed"]),
      hint: `${format.counted(outliers.length, "island")} outside the house band`,
      value:
        f.density.min === null
          ? "–"
          : `${format.density(f.density.min)} – ${format.density(f.density.max)}`,
      unit: format.densityUnit(),
    },
    {
      name: "coverage",
      value: format.percent(f.coverage),
      unit: "%",
      tone: f.overlap_pairs ? "amber" : undefined,
      onClick: () => editor.frameTable(),
      hint: "sum of island areas / tile area",
    },
    {
      name: "overlaps",
      value: format.whole(f.overlapping),
      unit: f.overlapping === 1 ? "island" : "islands",
      tone: f.overlapping ? "rose" : undefined,
      onClick: () =>
        lead("overlaps", editor.document.flagged(MEASURED.overlapping), [
          "overlap",
          "fold",
          "crowded",
          "loose stack",
        ]),
      hint: `${format.counted(f.overlap_pairs, "pair")} share ${format.counted(f.overlap_texels, "texel")}`,
    },
    {
      name: "smallest gap",
      value: f.overlap_pairs ? "0.0" : format.pixels(f.gap_px),
      unit: "px",
      tone: gapBad ? "rose" : undefined,
      onClick: () =>
        lead(
          "gap",
          f.gap_islands.filter((i) => i >= 0),
          ["gap", "margin"],
        ),
    },
    {
      name: "outside",
      value: format.whole(f.outside),
      tone: f.outside ? "rose" : undefined,
      onClick: () =>
        lead("outside", editor.document.flagged(MEASURED.outside), [
          "straddling",
          "outside",
          "far away",
        ]),
    },
    {
      name: "mirrored",
      value: format.whole(f.mirrored),
      tone: f.mirrored ? "rose" : undefined,
      onClick: () => lead("mirrored", editor.document.flagged(MEASURED.mirrored), ["mirrored"]),
    },
    ...(f.side_table > 0
      ? [
          {
            name: "side table",
            value: format.whole(f.side_table),
            tone: "amber" as const,
            onClick: () =>
              lead("side", editor.document.flagged(MEASURED.side_table), ["side table"]),
          },
        ]
      : []),
    {
      name: "no UVs",
      value: `${bare.length} ${bare.length === 1 ? "object" : "objects"}`,
      tone: bare.length ? "amber" : undefined,
      hint: bare.map((o) => o.name).join(", "),
      onClick: () => findBare(bare.map((o) => o.name)),
    },
  ];
  return (
    <Flex
      px="16px"
      align="center"
      gap="6px"
      role="toolbar"
      aria-label="Verdict"
      aria-busy={old !== undefined}
      data-measured={old ? undefined : editor.document.info?.revision.id}
    >
      <Verdict />
      <Box display="contents" data-old={old} title={old}>
        <Gauges gauges={gauges} />
      </Box>
      <Flex ml="auto" align="center" gap="1" flexShrink="0">
        <Text color="soft" whiteSpace="nowrap" hideBelow="xl">
          View as
        </Text>
        <NativeSelect.Root size="xs" w="104px" variant="plain">
          <NativeSelect.Field
            fontWeight="600"
            aria-label="View as"
            value={editor.view.as}
            onChange={(e) => editor.setView(e.target.value as ViewAs)}
          >
            {VIEWS.map((view) => (
              <option key={view} value={view}>
                {view}
              </option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
      </Flex>
    </Flex>
  );
}

const LINE = 28;

/** The figures that have room, in order; a button unfolds the others. */
function Gauges({ gauges }: { gauges: FigureProps[] }) {
  const row = useRef<HTMLDivElement>(null);
  const [fits, setFits] = useState(gauges.length);
  const names = gauges.map((one) => one.name).join();
  useLayoutEffect(() => {
    const element = row.current;
    if (!element) return undefined;
    const parts = [...element.children] as HTMLElement[];
    // Those without room stand in a second line, which is not in sight. Asked only when a size has changed: the browser
    // lays the whole page out to answer.
    const watch = new ResizeObserver(() =>
      setFits(parts.filter((part) => part.offsetTop < LINE / 2).length),
    );
    for (const one of [element, ...parts]) watch.observe(one);
    return () => watch.disconnect();
  }, [names]);
  const rest = gauges.slice(fits);
  const tone = rest.find((one) => one.tone === "rose")?.tone ?? rest.find((one) => one.tone)?.tone;
  return (
    <>
      <Flex
        ref={row}
        flex="0 1 auto"
        minW="0"
        h={`${LINE}px`}
        gap="6px"
        wrap="wrap"
        overflow="hidden"
        position="relative"
      >
        {gauges.map((one, k) => (
          <Box key={one.name} visibility={k < fits ? undefined : "hidden"}>
            <Figure {...one} />
          </Box>
        ))}
      </Flex>
      {rest.length > 0 && (
        <Popover.Root>
          <Popover.Trigger asChild>
            <Button
              size="xs"
              h="28px"
              px="2"
              flexShrink="0"
              variant="outline"
              bg="panel"
              borderColor={tone ?? "line"}
              color={tone ?? "soft"}
              aria-label={`${rest.length} more figures: ${rest.map((one) => one.name).join(", ")}`}
            >
              +{rest.length}
            </Button>
          </Popover.Trigger>
          <Portal>
            <Popover.Positioner>
              <Popover.Content bg="panel" p="2" w="auto">
                <Flex direction="column" gap="1.5" align="stretch">
                  {rest.map((one) => (
                    <Figure key={one.name} {...one} />
                  ))}
                </Flex>
              </Popover.Content>
            </Popover.Positioner>
          </Portal>
        </Popover.Root>
      )}
    </>
  );
}

/** Ready or not, in one word; leads to the Check stage. */
function Verdict() {
  const editor = useEditor("figures");
  const { report, stale: reportStale } = editor.figures;
  const setStage = useUi((ui) => ui.setStage);
  const word =
    !report || reportStale
      ? "checking…"
      : report.ready
        ? "ready to bake"
        : `${format.whole(report.errors)} ${report.errors === 1 ? "error" : "errors"}`;
  const tone = !report || reportStale ? "soft" : report.ready ? "petrol" : "rose";
  return (
    <Button
      size="xs"
      h="28px"
      px="2.5"
      minW="92px"
      variant="outline"
      borderColor={tone}
      borderWidth="1.5px"
      borderStyle="dashed"
      color={tone}
      bg="panel"
      fontWeight="700"
      fontSize="12.5px"
      data-figure="verdict"
      title={
        report && !reportStale
          ? report.against.join(", ") || "nothing stands against a bake"
          : "the layout is being checked"
      }
      onClick={() => setStage("Check")}
    >
      <span data-value>{word}</span>
    </Button>
  );
}

type FigureProps = {
  name: string;
  value: string;
  unit?: string;
  tone?: "rose" | "amber";
  hint?: string;
  onClick: () => void;
};

function Figure({ name, value, unit, tone, hint, onClick }: FigureProps) {
  return (
    <Button
      size="xs"
      h="28px"
      px="2.5"
      variant="outline"
      bg="panel"
      borderColor={tone ?? "line"}
      gap="1.5"
      fontWeight="400"
      fontSize="12.5px"
      title={hint}
      onClick={onClick}
      data-figure={name}
    >
      <Text as="span" color={tone ?? "soft"}>
        {name}
      </Text>
      <Text as="span" fontWeight="700" data-value>
        {value}
      </Text>
      {unit && (
        <Text as="span" color="soft">
          {unit}
        </Text>
      )}
    </Button>
  );
}
