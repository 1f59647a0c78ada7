import {
  Box,
  Button,
  Flex,
  IconButton,
  Image,
  Input,
  Link,
  NativeSelect,
  Text,
} from "@chakra-ui/react";
import { ChevronLeft, ChevronRight, Pause, Play, RotateCw, Trash2, X } from "lucide-react";
import { useEffect, useState } from "react";
import type { Project, RunLine } from "../api/client";
import { useRunSheet } from "../api/run";
import * as format from "../format";
import { Foot, MainButton, Running, running, Title } from "./parts";
import type { PanelProps } from "./props";

const RESULTS: Record<string, string> = {
  files: "files",
  merged: "files and textures",
  maps: "maps",
  textures: "textures",
  report: "report",
};
const COLOURS: Record<RunLine["state"], string> = {
  current: "petrol",
  "out of date": "amber",
  failed: "rose",
  held: "soft",
};

/** The run sheet: lines that bring atlases up to date, what is out of date and why. */
export function RunSheetPart({ project, atlas, jobs }: PanelProps) {
  const { lines, old, remember, change, drop, run, putBack, read, refresh } = useRunSheet(project);
  const [name, setName] = useState("");
  const done = jobs
    .filter(
      (job) =>
        ["run line", "run sheet"].includes(job.kind) &&
        !["queued", "running"].includes(job.state ?? ""),
    )
    .map((job) => job.id)
    .join();
  const sheet = jobs.find((job) => job.kind === "run sheet")?.message;
  // A line that has ended stands another way now.
  useEffect(refresh, [done, sheet]); // eslint-disable-line react-hooks/exhaustive-deps
  const stale = (lines ?? []).filter(
    (line) => line.state === "out of date" || line.state === "failed",
  );
  const busy = running(jobs, "run line") || running(jobs, "run sheet") || run.isPending;
  return (
    <>
      <Title note="Each line brings an atlas up to date in one go, and says why it has to. What is current is left alone.">
        Run sheet
      </Title>
      {lines?.length === 0 && (
        <Text color="soft" fontSize="12.5px" mb="2">
          No line yet. Even out, pack, merge or export by hand once, and remember it: it becomes a
          line.
        </Text>
      )}
      {lines?.map((line) => (
        <Line
          key={line.id}
          line={line}
          old={old}
          busy={busy}
          run={() => run.mutate([line.id])}
          hold={() => change.mutate({ line: line.id, hold: !line.hold })}
          drop={() => drop.mutate(line.id)}
          putBack={(revision) => putBack.mutate({ line: line.id, revision })}
          project={project}
          about={(atlases) => change.mutate({ line: line.id, atlases })}
          without={(k) =>
            change.mutate({ line: line.id, steps: line.steps.filter((_, n) => n !== k) })
          }
        />
      ))}
      <Flex gap="1.5" mt="2">
        <Input
          size="xs"
          placeholder={atlas.name}
          aria-label="Name of the line"
          value={name}
          maxLength={120}
          onChange={(e) => setName(e.target.value)}
        />
        <Button
          size="xs"
          variant="outline"
          borderColor="petrol"
          color="petrol"
          disabled={!atlas.objects}
          loading={remember.isPending}
          title="What was done to this atlas by hand becomes a line"
          onClick={() =>
            remember.mutate(
              { atlas: atlas.id, name: name.trim() || atlas.name },
              { onSuccess: () => setName("") },
            )
          }
        >
          Remember this
        </Button>
      </Flex>
      <Flex gap="3" mt="2" fontSize="12.5px">
        {(lines?.length ?? 0) > 0 && (
          <Link
            href={`/api/projects/${project.id}/run-sheet.toml`}
            download
            color="petrol"
            title="For untold-quilt run, with the project saved as a file beside it"
          >
            As a file
          </Link>
        )}
        <Link
          as="label"
          color="petrol"
          cursor="pointer"
          title="Lines of a run sheet about this project; those of a name that is there take its place"
        >
          From a file
          <input
            type="file"
            accept=".toml"
            hidden
            data-testid="run-sheet-file"
            onChange={(e) => {
              const file = e.target.files?.[0];
              e.target.value = "";
              if (file) read.mutate(file);
            }}
          />
        </Link>
      </Flex>
      <Foot>
        <MainButton
          disabled={!stale.length || busy}
          busy={run.isPending}
          onClick={() => run.mutate(stale.map((line) => line.id))}
        >
          {stale.length
            ? `Bring ${stale.length === 1 ? "one line" : `${stale.length} lines`} up to date`
            : "All is current"}
        </MainButton>
        <Running jobs={jobs} kind="run line" />
        <Running jobs={jobs} kind="run sheet" />
      </Foot>
    </>
  );
}

type LineProps = {
  line: RunLine;
  /** Whether it may stand another way by now. */
  old: boolean;
  project: Project;
  about: (atlases: number[]) => void;
  busy: boolean;
  run: () => void;
  hold: () => void;
  drop: () => void;
  without: (step: number) => void;
  putBack: (revision: number) => void;
};

function Line({ line, old, project, about, busy, run, hold, drop, without, putBack }: LineProps) {
  const last = line.runs[0];
  return (
    <Box
      borderWidth="1px"
      borderColor="line"
      rounded="md"
      px="2"
      py="1.5"
      mb="1.5"
      data-line={line.name}
    >
      <Flex align="center" gap="1">
        <Text fontWeight="650" flex="1" minW="0" truncate title={line.name}>
          {line.name}
        </Text>
        <IconButton
          size="2xs"
          variant="ghost"
          aria-label={`Do ${line.name} now`}
          title={line.state === "current" ? "Do it although it is current" : "Do it"}
          disabled={busy}
          onClick={run}
        >
          {line.state === "current" ? <RotateCw /> : <Play />}
        </IconButton>
        <IconButton
          size="2xs"
          variant={line.hold ? "solid" : "ghost"}
          aria-pressed={line.hold}
          aria-label={`Hold ${line.name}`}
          title={line.hold ? "Held: it is left as it is" : "Hold: leave it as it is"}
          onClick={hold}
        >
          <Pause />
        </IconButton>
        <IconButton
          size="2xs"
          variant="ghost"
          aria-label={`Take ${line.name} out`}
          title="Take the line out"
          onClick={drop}
        >
          <Trash2 />
        </IconButton>
      </Flex>
      <Text
        fontSize="12px"
        color={COLOURS[line.state]}
        data-state={line.state}
        data-old={old ? "as it stood before the last step" : undefined}
      >
        {line.state}
        {last ? `, done ${format.moment(last.when)}` : ""}
      </Text>
      {line.state !== "current" &&
        line.because.map((why) => (
          <Text key={why} fontSize="12px" lineHeight="1.3">
            {why}
          </Text>
        ))}
      <Flex wrap="wrap" gap="1" my="1">
        {line.steps.map((step, k) => (
          <Flex
            key={k}
            align="center"
            gap="0.5"
            fontSize="11.5px"
            borderWidth="1px"
            borderStyle="dashed"
            borderColor="line"
            rounded="sm"
            px="1"
            title={
              Object.entries(step.settings ?? {})
                .map(([key, value]) => `${key.replace(/_/g, " ")} ${String(value)}`)
                .join(", ") || "as usual"
            }
          >
            {step.do}
            {line.steps.length > 1 && (
              <Button
                variant="plain"
                size="2xs"
                h="14px"
                minW="0"
                px="0"
                aria-label={`Without ${step.do} in ${line.name}`}
                onClick={() => without(k)}
              >
                <X size={10} />
              </Button>
            )}
          </Flex>
        ))}
      </Flex>
      {(project.atlases.length > 1 || !line.named) && (
        <About line={line} project={project} about={about} />
      )}
      {last && <Results line={line} busy={busy} putBack={putBack} />}
    </Box>
  );
}

/** The atlases that a line is about; more are added, or taken out, where it names them. */
function About({ line, project, about }: Pick<LineProps, "line" | "project" | "about">) {
  const others = project.atlases.filter((tab) => !line.atlases.includes(tab.id));
  if (!line.named) {
    const said = [...line.objects, ...(line.channel ? [`UV channel ${line.channel}`] : [])].join(
      ", ",
    );
    return (
      <Text fontSize="12px" mb="1">
        about {said}
      </Text>
    );
  }
  return (
    <Flex wrap="wrap" gap="1" mb="1" fontSize="12px" align="center" data-testid="about">
      {project.atlases
        .filter((tab) => line.atlases.includes(tab.id))
        .map((tab) => (
          <Flex key={tab.id} align="center" gap="0.5" bg="stripe" rounded="sm" px="1">
            {tab.name}
            {line.atlases.length > 1 && (
              <Button
                variant="plain"
                size="2xs"
                h="16px"
                minW="0"
                px="0"
                aria-label={`Without ${tab.name} in ${line.name}`}
                onClick={() => about(line.atlases.filter((id) => id !== tab.id))}
              >
                <X size={10} />
              </Button>
            )}
          </Flex>
        ))}
      {others.length > 0 && (
        <NativeSelect.Root size="xs" w="96px">
          <NativeSelect.Field
            aria-label={`Another atlas in ${line.name}`}
            value=""
            h="20px"
            fontSize="12px"
            onChange={(e) => about([...line.atlases, Number(e.target.value)])}
          >
            <option value="">and …</option>
            {others.map((tab) => (
              <option key={tab.id} value={tab.id}>
                {tab.name}
              </option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
      )}
    </Flex>
  );
}

/** What came of a line, result by result: before and after as images and figures. */
function Results({
  line,
  busy,
  putBack,
}: {
  line: RunLine;
  busy: boolean;
  putBack: (revision: number) => void;
}) {
  const [at, step] = useState(0);
  const shown = Math.min(at, line.runs.length - 1);
  const one = line.runs[shown];
  useEffect(() => step(0), [line.runs.length]);
  const many = line.runs.length > 1;
  return (
    <Box borderTopWidth="1px" borderColor="line" pt="1" data-testid="results">
      {many && (
        <Flex align="center" justify="space-between" fontSize="12px" mb="1">
          <IconButton
            size="2xs"
            variant="ghost"
            aria-label={`Earlier result of ${line.name}`}
            disabled={shown === line.runs.length - 1}
            onClick={() => step(shown + 1)}
          >
            <ChevronLeft />
          </IconButton>
          <Text color="soft">
            {shown === 0 ? "last" : `${shown} before the last`}, {format.moment(one.when)}
          </Text>
          <IconButton
            size="2xs"
            variant="ghost"
            aria-label={`Later result of ${line.name}`}
            disabled={shown === 0}
            onClick={() => step(shown - 1)}
          >
            <ChevronRight />
          </IconButton>
        </Flex>
      )}
      {one.layouts.map((layout) => (
        <Layouts
          key={layout.revision}
          layout={layout}
          line={line}
          titled={one.layouts.length > 1}
          busy={busy}
          putBack={putBack}
        />
      ))}
      {shown > 0 &&
        one.because.map((why) => (
          <Text key={why} fontSize="12px" lineHeight="1.3">
            {why}
          </Text>
        ))}
      <Flex gap="2" mt="0.5" fontSize="12px">
        {one.results.map((name) => (
          <Link
            key={name}
            href={`/api/run-lines/${line.id}/results/${name}.zip?run=${one.id}`}
            download
            color="petrol"
          >
            {RESULTS[name]}
          </Link>
        ))}
        {one.seconds !== null && one.seconds !== undefined && (
          <Text color="soft" ms="auto">
            {one.seconds.toFixed(1)} s
          </Text>
        )}
      </Flex>
    </Box>
  );
}

/** An atlas before and after a line. */
function Layouts({
  layout,
  line,
  titled,
  busy,
  putBack,
}: { layout: RunLine["runs"][number]["layouts"][number]; titled: boolean } & Pick<
  LineProps,
  "line" | "busy" | "putBack"
>) {
  const { before, after } = layout;
  const pairs: [string, string][] =
    before && after
      ? [
          ["coverage", `${part(before.coverage)} → ${part(after.coverage)}`],
          ["density", `${format.density(before.density)} → ${format.densityIn(after.density)}`],
          ["errors", `${before.errors ?? "–"} → ${after.errors ?? "–"}`],
        ]
      : [];
  return (
    <>
      {titled && (
        <Text fontSize="12px" fontWeight="600" truncate>
          {layout.name}
        </Text>
      )}
      <Flex gap="2" mb="1">
        {(
          [
            ["before", layout.earlier],
            ["after", layout.revision],
          ] as const
        ).map(([text, revision]) => (
          <Box key={text} flex="1" minW="0">
            <Image
              src={`/api/revisions/${revision}/thumbnail.png`}
              alt={`Layout ${text}`}
              w="100%"
              aspectRatio="1"
              objectFit="contain"
              bg="paper"
              borderWidth="1px"
              borderColor="line"
            />
            <Flex justify="space-between" align="center" fontSize="12px">
              <Text color="soft">{text}</Text>
              {line.present.includes(revision) ? (
                <Text color="petrol">now</Text>
              ) : (
                <Button
                  size="2xs"
                  variant="plain"
                  px="0"
                  h="20px"
                  color="petrol"
                  disabled={busy}
                  title={`The layout ${text} this result, as a step that can be undone`}
                  onClick={() => putBack(revision)}
                >
                  go back
                </Button>
              )}
            </Flex>
          </Box>
        ))}
      </Flex>
      {(after?.against ?? []).length > 0 && (
        <Text fontSize="12px" color="rose" lineHeight="1.3" data-testid="not-cured">
          Its steps do not cure: {after!.against!.join(", ")}.
        </Text>
      )}
      {pairs.map(([text, value]) => (
        <Flex key={text} justify="space-between" fontSize="12px">
          <Text color="soft">{text}</Text>
          <Text>{value}</Text>
        </Flex>
      ))}
    </>
  );
}

const part = (value: number | null | undefined) =>
  value === null || value === undefined ? "–" : `${format.percent(value)} %`;
