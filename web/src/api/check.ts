import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { AT_A_CLICK } from "./hooks";
import { editor, tellError, useUi } from "../state";
import { keepSteps, showAtlas, stepSeen } from "./step";
import { api, ask, type Atlas, type Finding, type RulesChange } from "./client";

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
  const change = useMutation({
    mutationFn: (body: Omit<RulesChange, "change">) =>
      ask(
        api.PATCH("/api/projects/{project_id}/rules/", {
          params: path,
          body: { ...body, change: stepSeen(client, projectId) },
        }),
      ),
    onError: tellError,
    onSuccess: (data) => {
      client.setQueryData(["rules", projectId], data);
      keepSteps(client, projectId, data);
      void client.invalidateQueries({ queryKey: ["report"] });
      void client.invalidateQueries({ queryKey: ["jobs", projectId] });
    },
  });
  return { rules: rules.data, change };
}

export type Fixes = ReturnType<typeof useFixes>;

/** Fixes at a click. Those that move one island ask the server at once, those that pack start a job. */
export function useFixes(atlas: Atlas, projectId: number) {
  const client = useQueryClient();
  const refresh = () => {
    for (const key of ["jobs", "atlas", "project"])
      void client.invalidateQueries({ queryKey: [key] });
  };
  const seen = () => ({ change: stepSeen(client, projectId) });
  const path = { path: { atlas_id: atlas.id } };
  const options = {
    onSuccess: refresh,
    onError: (error: unknown) => {
      tellError(error);
      refresh();
    },
  };
  const fix = useMutation({
    mutationFn: ({ name, islands }: { name: "mirror" | "move in" | "stack"; islands: number[] }) =>
      ask(
        api.POST("/api/atlases/{atlas_id}/fix/", {
          params: path,
          body: { ...seen(), fix: name, islands },
        }),
      ),
    ...options,
    onSuccess: (data) => showAtlas(client, projectId, data),
  });
  const spread = useMutation({
    mutationFn: (islands: number[]) =>
      ask(
        api.POST("/api/atlases/{atlas_id}/pack/", {
          params: path,
          body: {
            ...seen(),
            islands,
            density: "fixed",
            effort: "quick",
            padding: atlas.padding,
            margin: atlas.margin,
          },
        }),
      ),
    ...options,
  });
  const even = useMutation({
    mutationFn: (islands: number[]) =>
      ask(
        api.POST("/api/atlases/{atlas_id}/even-out/", {
          params: path,
          body: { ...seen(), density: "house", islands },
        }),
      ),
    ...options,
  });
  const unwrap = useMutation({
    mutationFn: (names: string[]) =>
      ask(
        api.POST("/api/atlases/{atlas_id}/unwrap/", {
          params: path,
          body: {
            ...seen(),
            objects: (editor.document.info?.objects ?? [])
              .filter((o) => names.includes(o.name))
              .map((o) => o.id),
            ...AT_A_CLICK,
          },
        }),
      ),
    ...options,
  });
  const report = useMutation({
    mutationFn: () =>
      ask(api.POST("/api/atlases/{atlas_id}/report/", { params: path, body: seen() })),
    onSuccess: () => client.invalidateQueries({ queryKey: ["jobs", projectId] }),
    onError: tellError,
  });
  const run = (name: string, findings: Finding[]) => {
    const all = [...new Set(findings.flatMap((f) => f.islands))];
    if (name === "mirror" || name === "move in") fix.mutate({ name, islands: all });
    else if (name === "stack") fix.mutate({ name, islands: findings[0].islands });
    else if (name === "house density") even.mutate(all);
    else if (name === "unwrap") unwrap.mutate([...new Set(findings.map((f) => f.object))]);
    else if (name === "spread") spread.mutate([...new Set(findings.flatMap(toSpread))]);
    useUi.getState().tell(null);
  };
  return {
    run,
    report,
    busy: fix.isPending || spread.isPending || even.isPending || unwrap.isPending,
  };
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
