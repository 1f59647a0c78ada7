import { Box, Flex, Link, Text } from "@chakra-ui/react";
import type { Report } from "../api/client";
import { oldReport, oldWords, useEditor } from "../api/hooks";
import { useAction } from "../api/actions/act";
import type { PanelProps } from "./props";
import type { Band } from "../editor/density/logScale";
import * as format from "../format";
import { MainButton, Running, running, Title } from "./parts";

/** The figures of the report, and the report itself as a page and as JSON. */
export function ReportPart({ atlas, jobs }: PanelProps) {
  const editor = useEditor("document", "figures");
  const writing = useAction("report");
  const { report } = editor.figures;
  const f = editor.document.info?.figures;
  if (!report || !f)
    return (
      <Title note={atlas.objects ? "The layout is being checked." : "Bring in files first."}>
        Report
      </Title>
    );
  const written = jobs.find((job) => job.kind === "report" && job.state === "done");
  const old =
    written && (written.result as { revision?: number } | undefined)?.revision !== atlas.head.id;
  const s = report.stretch;
  const rows: [string, string][] = [
    ["Coverage", `${format.percent(f.coverage)} %`],
    ["Smallest gap", `${f.overlap_pairs ? "0.00" : (f.gap_px?.toFixed(2) ?? "–")} px`],
    [
      "Gaps open to",
      report.open_level === null
        ? "–"
        : report.open_level < 0
          ? "not full size"
          : `mip level ${report.open_level}`,
    ],
    ["To the edge", `${f.margin_px?.toFixed(2) ?? "–"} px`],
    ["Density, all", format.densityIn(f.density.mean)],
    ["Stretch L2", s.l2 ? s.l2.toFixed(3) : "–"],
    ["Worst face", s.linf ? s.linf.toFixed(3) : "–"],
    ["Angles", s.angle ? s.angle.toFixed(3) : "–"],
    ["Areas", s.area ? s.area.toFixed(3) : "–"],
  ];
  return (
    <>
      <Title note="A page that stands by itself and prints well: verdict, textures, density strip, findings, settings.">
        Report
      </Title>
      <MainButton
        disabled={running(jobs, "report")}
        busy={writing.busy}
        onClick={() => writing.run({})}
      >
        Write the report
      </MainButton>
      <Running jobs={jobs} kind="report" />
      {written && (
        <Box mt="2">
          <Link
            href={`/api/jobs/${written.id}/report.html`}
            target="_blank"
            rel="noreferrer"
            color="petrol"
          >
            Open the page
          </Link>
          {" · "}
          <Link href={`/api/jobs/${written.id}/report.html?download`} color="petrol">
            save it
          </Link>
          {" · "}
          <Link href={`/api/jobs/${written.id}/report.json?download`} color="petrol">
            JSON
          </Link>
          {old && (
            <Text color="amber" fontSize="12px">
              Written for an earlier layout.
            </Text>
          )}
        </Box>
      )}
      <Box mt="3" data-old={oldWords(editor) ?? oldReport(editor)}>
        {rows.map(([name, value]) => (
          <Flex key={name + value} justify="space-between" py="0.5">
            <Text>{name}</Text>
            <Text fontWeight="700">{value}</Text>
          </Flex>
        ))}
      </Box>
      <Text color="soft" fontSize="12px" mb="2">
        Stretch, angles and areas: 1 is none.
      </Text>
      <Histogram report={report} band={editor.view.band} />
    </>
  );
}

const W = 206;
const H = 64;

/** Surface area over density, on a log scale, with the house band behind it. */
function Histogram({ report, band: [lowest, highest] }: { report: Report; band: Band }) {
  const { edges, area } = report.histogram;
  if (!edges.length) return null;
  const low = Math.log(Math.min(edges[0], lowest));
  const high = Math.log(Math.max(edges[edges.length - 1], highest));
  const x = (value: number) => ((Math.log(value) - low) / Math.max(high - low, 1e-9)) * W;
  const most = Math.max(...area);
  const total = area.reduce((sum, a) => sum + a, 0);
  return (
    <Box>
      <svg width={W} height={H} role="img" aria-label="Surface area over density">
        <rect
          x={x(lowest)}
          width={Math.max(2, x(highest) - x(lowest))}
          y="0"
          height={H}
          fill="#E8C27A"
          opacity="0.55"
        />
        {area.map((a, k) =>
          a > 0 ? (
            <rect
              key={k}
              x={x(edges[k])}
              width={Math.max(1.5, x(edges[k + 1]) - x(edges[k]) - 0.5)}
              y={H - 2 - (a / most) * (H - 8)}
              height={(a / most) * (H - 8) + 2}
              fill="#2E5E62"
            >
              <title>{`${format.density(edges[k])} – ${format.densityIn(edges[k + 1])}: ${((100 * a) / total).toFixed(1)} % of the surface`}</title>
            </rect>
          ) : null,
        )}
      </svg>
      <Flex justify="space-between" fontSize="12px" color="soft">
        <Text>{format.density(Math.exp(low))}</Text>
        <Text>surface over density</Text>
        <Text>{format.densityIn(Math.exp(high))}</Text>
      </Flex>
    </Box>
  );
}
