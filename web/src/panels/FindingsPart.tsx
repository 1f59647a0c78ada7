import { Box, Button, Flex, Text } from "@chakra-ui/react";
import { useEffect, useMemo, useRef, useState } from "react";
import type { Finding } from "../api/client";
import { oldReport, useEditor } from "../api/hooks";
import { useFixes, useRules } from "../api/check";
import { lastTestBake, withTestBake } from "../api/testBake";
import { Drawing } from "../drawings/Drawing";
import { SeverityMark } from "../components/SeverityMark";
import type { PanelProps } from "./props";
import { islandsOf, place, afterFix, groups, type Group } from "../editor/findings/walk";
import * as format from "../format";
import { useKept } from "../state";
import { FindingCard } from "./FindingCard";
import { Running, Title } from "./parts";

/** What was found, by kind. An open kind is stepped through one by one. */
export function FindingsPart({ project, atlas, jobs }: PanelProps) {
  const editor = useEditor("figures");
  const { rules, change } = useRules(project.id);
  const baked = lastTestBake(jobs, atlas)?.baked ?? null;
  const checked = editor.figures.report;
  const report = useMemo(
    () => checked && withTestBake(checked, baked, atlas.head.id, rules),
    [checked, baked, atlas.head.id, rules],
  );
  const fixes = useFixes(atlas);
  const [open, setOpen] = useKept<string>("open kind", "");
  const last = useRef<{ finding: Finding; list: Finding[] } | null>(null);
  const list = report ? groups(report) : [];
  const group = list.find((g) => g.kind === open);
  // A new layout: stay where the work was, on the same finding or the one behind it.
  const seen = useRef(report);
  useEffect(() => {
    if (editor.figures.stale || report === seen.current) return;
    seen.current = report;
    if (!editor.figures.finding && last.current && group)
      editor.showFinding(afterFix(last.current.list, last.current.finding, group.findings));
  });
  useEffect(() => {
    if (editor.figures.finding && group)
      last.current = { finding: editor.figures.finding, list: group.findings };
  });
  useEffect(() => () => editor.showFinding(null), [editor]);
  // The bar above can open a kind, too.
  useEffect(() => {
    if (editor.figures.finding && editor.figures.finding.kind !== open)
      setOpen(editor.figures.finding.kind);
  });
  if (!report)
    return (
      <Title note={atlas.objects ? "The layout is being checked." : "Bring in files first."}>
        Check
      </Title>
    );
  const old = oldReport(editor);
  const show = (kind: string) => {
    last.current = null;
    const next = kind === open && editor.figures.finding ? "" : kind;
    setOpen(next);
    editor.showFinding(list.find((g) => g.kind === next)?.findings[0] ?? null);
  };
  return (
    <>
      <Title
        note={<Checked made={report.made} seconds={report.seconds} stale={editor.figures.stale} />}
      >
        <Text as="span" data-old={old} color={report.ready ? "petrol" : "rose"} data-verdict>
          {report.ready ? "Ready to bake" : "Not ready to bake"}
        </Text>
      </Title>
      <Text mb="2" data-old={old}>
        {format.counted(report.errors, "error")} · {format.counted(report.warnings, "warning")}
      </Text>
      {list.length === 0 && (
        <Text color="soft">
          Nothing was found: no overlap, every gap wide enough, all islands in their tiles.
        </Text>
      )}
      {list.map((g) => (
        <Box key={g.kind} data-kind={g.kind} data-old={old}>
          <KindRow
            group={g}
            title={rules?.kinds.find((k) => k.kind === g.kind)?.title ?? g.kind}
            open={g.kind === open && editor.figures.finding !== null}
            onClick={() => show(g.kind)}
          />
          {g.kind === open && editor.figures.finding?.kind === open && (
            <FindingCard
              group={g}
              finding={editor.figures.finding}
              about={rules?.kinds.find((k) => k.kind === g.kind)}
              fixes={fixes}
              ignore={(finding, reason) =>
                change({
                  ignored: [
                    ...(rules?.ignored ?? []).filter((row) => row.finding !== finding.key),
                    ...(reason
                      ? [
                          {
                            finding: finding.key,
                            reason,
                            about: `${finding.kind} · ${place(finding)}`,
                          },
                        ]
                      : []),
                  ],
                })
              }
            />
          )}
        </Box>
      ))}
      <Running jobs={jobs} kind="pack" />
    </>
  );
}

function KindRow({
  group,
  title,
  open,
  onClick,
}: {
  group: Group;
  title: string;
  open: boolean;
  onClick: () => void;
}) {
  return (
    <Button
      variant="plain"
      w="100%"
      minH="26px"
      h="auto"
      py="0.5"
      px="1"
      mx="-4px"
      rounded="sm"
      fontWeight={open ? "700" : "400"}
      fontSize="13px"
      aria-expanded={open}
      bg={open ? "stripe" : undefined}
      onClick={onClick}
      whiteSpace="normal"
      textAlign="left"
      lineHeight="1.25"
    >
      <Flex w="100%" align="center" gap="2">
        <SeverityMark severity={group.severity} hollow={group.total === 0} />
        <Drawing of={group.kind} />
        <Text flex="1" color={group.total === 0 ? "soft" : undefined}>
          {title}
        </Text>
        {islandsOf(group) > 2 * group.total && group.total > 0 && (
          <Text color="soft" fontSize="12px">
            {format.counted(islandsOf(group), "island")} ·
          </Text>
        )}
        <Text fontWeight="700" data-count>
          {group.total === 0 ? `${group.ignored} ignored` : format.whole(group.total)}
        </Text>
      </Flex>
    </Button>
  );
}

/** When the figures were made; the age counts up while newer ones are on their way. */
function Checked({ made, seconds, stale }: { made: string; seconds: number; stale: boolean }) {
  const [now, setNow] = useState(Date.now());
  useEffect(() => {
    const timer = setInterval(() => setNow(Date.now()), 1000);
    return () => clearInterval(timer);
  }, []);
  const age = Math.max(0, Math.round((now - new Date(made).getTime()) / 1000));
  const old =
    age < 60
      ? `${age} s`
      : age < 3600
        ? `${Math.round(age / 60)} min`
        : `${Math.round(age / 3600)} h`;
  return stale ? (
    <>Checking again… these figures are {old} old.</>
  ) : (
    <>
      Checked {old} ago in {seconds.toFixed(2)} s.
    </>
  );
}
