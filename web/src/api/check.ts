import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { AT_A_CLICK } from "./hooks";
import { editor, useUi } from "../state";
import { useActing, useAction } from "./actions/act";
import type { BodyOf } from "./actions/requests";
import { api, ask, type Atlas, type Finding } from "./client";

/** What was found about a revision; null while it is being looked for. The one before stays in sight meanwhile. */
export function useReport(revision: number | undefined) {
  const query = useQuery({
    queryKey: ["report", revision],
    enabled: revision !== undefined,
    placeholderData: (previous) => previous,
    retry: false,
    // A job may have ended between the first look at the layout and the first look at the jobs.
    refetchInterval: (q) => (q.state.data?.current ? false : 1000),
    queryFn: async () => {
      const path = { params: { path: { revision_id: revision! } } };
      const { data } = await api.GET("/api/revisions/{revision_id}/check/", path);
      return data ? { ...data, revision: revision! } : null;
    },
  });
  const { data } = query;
  const stale = data ? data.revision !== revision || !data.current : true;
  useEffect(() => {
    // Until there is a newer one the report of the layout before stays in sight, with its age.
    if (revision === undefined) editor.setReport(null, true);
    else editor.setReport(data ?? editor.figures.report, stale);
  }, [data, stale, revision]);
  return query;
}

export function useRules(projectId: number) {
  const client = useQueryClient();
  const path = { path: { project_id: projectId } };
  const rules = useQuery({
    queryKey: ["rules", projectId],
    queryFn: () => ask(api.GET("/api/projects/{project_id}/rules/", { params: path })),
  });
  const { run } = useAction("rules");
  const change = (body: BodyOf<"rules">) =>
    run(body, (data) => {
      client.setQueryData(["rules", projectId], data);
      void client.invalidateQueries({ queryKey: ["report"] });
    });
  return { rules: rules.data, change };
}

export type Fixes = ReturnType<typeof useFixes>;

/** Fixes at a click. Those that move one island ask the server at once, those that pack start a job. */
export function useFixes(atlas: Atlas) {
  const { act, busy } = useActing();
  const run = (name: string, findings: Finding[]) => {
    const islands = [...new Set(findings.flatMap((f) => f.islands))];
    const names = findings.map((f) => f.object);
    if (name === "mirror" || name === "move in") act("fix", { fix: name, islands });
    else if (name === "stack") act("fix", { fix: name, islands: findings[0].islands });
    else if (name === "house density") act("even-out", { density: "house", islands });
    else if (name === "unwrap")
      act("unwrap", {
        objects: (editor.document.info?.objects ?? [])
          .filter((o) => names.includes(o.name))
          .map((o) => o.id),
        ...AT_A_CLICK,
      });
    else if (name === "spread")
      act("pack", {
        islands: [...new Set(findings.flatMap(toSpread))],
        density: "fixed",
        effort: "quick",
        padding: atlas.padding,
        margin: atlas.margin,
      });
    useUi.getState().tell(null);
  };
  return { run, busy: (["fix", "pack", "even-out", "unwrap"] as const).some(busy) };
}

/** Of two islands the one that takes less room, as it finds a free place sooner; of a heap all but the largest. */
function toSpread(finding: Finding): number[] {
  const area = (island: number) =>
    editor.document.model?.bounds[island]
      ? (editor.document.model.bounds[island].maxX - editor.document.model.bounds[island].minX) *
        (editor.document.model.bounds[island].maxY - editor.document.model.bounds[island].minY)
      : 0;
  const bySize = [...finding.islands].sort((one, other) => area(one) - area(other));
  return bySize.slice(0, Math.max(1, bySize.length - 1));
}
