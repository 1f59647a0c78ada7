import { useMutation, useQuery, useQueryClient, type UseQueryResult } from "@tanstack/react-query";
import { useEffect, useMemo, useRef } from "react";
import { editor, tellError } from "../state";
import {
  api,
  ask,
  fetchBytes,
  type Atlas,
  type LookAlikeGroup,
  type Candidate,
  type Job,
  type PackRequest,
  type StacksResult,
  type PlanRequest,
  type PlanResult,
} from "./client";
import { isActive } from "./hooks";
import { jobDone } from "./jobDone";
import { useOperation } from "./operations";
import { stepSeen } from "./step";

/** Layouts kept beside the chain, newest first. */
export function useDrafts(atlasId: number) {
  return useQuery({
    queryKey: ["drafts", atlasId],
    queryFn: () =>
      ask(api.GET("/api/atlases/{atlas_id}/drafts/", { params: { path: { atlas_id: atlasId } } })),
  });
}

export function useDropDraft() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (draft: number) => {
      const { response, error } = await api.DELETE("/api/drafts/{draft_id}/", {
        params: { path: { draft_id: draft } },
      });
      if (!response.ok) throw error;
    },
    onError: tellError,
    onSettled: () => client.invalidateQueries({ queryKey: ["drafts"] }),
  });
}

export function usePresets(projectId: number) {
  const client = useQueryClient();
  const path = { path: { project_id: projectId } };
  const changed = () => client.invalidateQueries({ queryKey: ["presets", projectId] });
  return {
    list:
      useQuery({
        queryKey: ["presets", projectId],
        queryFn: () => ask(api.GET("/api/projects/{project_id}/presets/", { params: path })),
      }).data ?? [],
    save: useMutation({
      mutationFn: (body: { name: string; settings: Record<string, unknown> }) =>
        ask(api.POST("/api/projects/{project_id}/presets/", { params: path, body })),
      onError: tellError,
      onSuccess: changed,
    }),
    drop: useMutation({
      mutationFn: async (id: number) => {
        await api.DELETE("/api/presets/{preset_id}/", { params: { path: { preset_id: id } } });
      },
      onSettled: changed,
    }),
  };
}

/** Islands of one shape, with outlines no farther apart than a part of the square root of the area. */
export function useCandidates(atlas: Atlas, tolerance: number): UseQueryResult<Candidate[]> {
  const client = useQueryClient();
  return useQuery({
    queryKey: ["stacks", atlas.head.id, tolerance],
    enabled: atlas.objects > 0,
    retry: false,
    placeholderData: (previous) => previous,
    queryFn: async ({ signal }) => {
      const change = stepSeen(client, atlas.project);
      const job = await ask(
        api.POST("/api/atlases/{atlas_id}/stacks/", {
          params: { path: { atlas_id: atlas.id } },
          body: { change, tolerance },
        }),
      );
      return candidates(await jobDone(job, signal));
    },
  });
}

/** Objects of one topology, group by group, while the atlas has the same objects. */
export function useLookAlikes(atlas: Atlas, objects: string): UseQueryResult<LookAlikeGroup[]> {
  const client = useQueryClient();
  return useQuery({
    queryKey: ["look-alikes", atlas.id, objects],
    enabled: atlas.objects > 1,
    retry: false,
    placeholderData: (previous) => previous,
    queryFn: async ({ signal }) => {
      const job = await ask(
        api.POST("/api/atlases/{atlas_id}/look-alikes/", {
          params: { path: { atlas_id: atlas.id } },
          body: { change: stepSeen(client, atlas.project) },
        }),
      );
      const { result } = await jobDone(job, signal);
      return (result as unknown as { groups: LookAlikeGroup[] }).groups;
    },
  });
}

/** Islands of the same shape as some islands, these among them. */
export async function lookAlikes(
  atlas: number,
  change: number,
  islands: readonly number[],
): Promise<number[]> {
  const job = await ask(
    api.POST("/api/atlases/{atlas_id}/stacks/", {
      params: { path: { atlas_id: atlas } },
      body: { change, tolerance: LOOK_ALIKE },
    }),
  );
  const found = candidates(await jobDone(job, new AbortController().signal));
  const wanted = new Set(islands);
  return [
    ...new Set([
      ...islands,
      ...found
        .filter((group) => group.kind === "shape" && group.islands.some((i) => wanted.has(i)))
        .flatMap((group) => group.islands),
    ]),
  ];
}

/** Outlines of look-alikes are no farther apart than this part of the root of the area. */
const LOOK_ALIKE = 0.02;
const candidates = (job: Job): Candidate[] => (job.result as unknown as StacksResult).candidates;

export function usePlan(revision: number | undefined, house: number) {
  return useQuery({
    queryKey: ["plan", revision, house],
    enabled: revision !== undefined,
    queryFn: () =>
      ask(
        api.GET("/api/revisions/{revision_id}/plan/", {
          params: { path: { revision_id: revision! } },
        }),
      ),
  });
}

export type Budget = { budget: number; maps: number; format: PlanRequest["format"] };

/** Tiles within a memory budget, once it is asked for. */
export function useBudget(atlas: Atlas, asked: Budget | undefined) {
  const client = useQueryClient();
  return useQuery({
    queryKey: ["budget", atlas.head.id, asked],
    enabled: asked !== undefined,
    retry: false,
    queryFn: async ({ signal }) => {
      const job = await ask(
        api.POST("/api/atlases/{atlas_id}/plan/", {
          params: { path: { atlas_id: atlas.id } },
          body: { change: stepSeen(client, atlas.project), ...asked },
        }),
      );
      return (await jobDone(job, signal)).result as unknown as PlanResult;
    },
  });
}

/** Distances that nobody gave follow the size of the tile. */
type Distances = "padding" | "margin";
/** Settings of a pack as they are kept. */
export type KeptPack = Required<
  Omit<PackRequest, "change" | "size" | "tile" | "islands" | "draft" | "seconds">
>;
/** Settings of a pack that a preset keeps. */
export type PackSettings = Omit<KeptPack, Distances> & Record<Distances, number>;

/** The options of packing as the core declares them: defaults, bounds and words. */
export type PackOptions = {
  defaults: KeptPack;
  choices: <Name extends "rotate" | "order" | "effort" | "apart">(
    name: Name,
  ) => readonly PackSettings[Name][];
  bounds: (name: keyof PackSettings) => { min: number; max: number };
};

export function usePackOptions(): PackOptions | undefined {
  const operation = useOperation("pack");
  return useMemo(() => {
    if (!operation) return undefined;
    const kept = operation.options.filter((option) => !option.passing && option.name !== "seconds");
    const by = new Map(operation.options.map((option) => [option.name, option]));
    return {
      defaults: Object.fromEntries(
        kept
          .filter((o) => o.default !== null || ["padding", "margin"].includes(o.name))
          .map((o) => [o.name, o.default]),
      ) as KeptPack,
      choices: (name) => (by.get(name)?.choices ?? []) as never[],
      bounds: (name) => ({
        min: by.get(name)?.low ?? 0,
        max: by.get(name)?.high ?? Number.MAX_SAFE_INTEGER,
      }),
    };
  }, [operation]);
}

const LOOK_EVERY = 450;

/** While a pack is at work the table shows its best layout so far; what is kept comes back when it ends. */
export function useLivePlacements(jobs: Job[]) {
  const job = jobs.find((j) => j.kind === "pack" && isActive(j));
  const shown = useRef("");
  const id = job?.id;
  // Another scale is another layout; while a first one of thousands grows only what it covers changes.
  const found = job?.figures as { scale?: number; coverage?: number } | undefined;
  const mark = job
    ? `${job.id} ${found?.scale === undefined ? "" : `${found.scale} ${found.coverage}`}`
    : "";
  const last = useRef(0);
  useEffect(() => {
    if (id === undefined) return () => undefined;
    return () => {
      shown.current = "";
      // The new layout arrives with the next answer; until then the last image stays.
      setTimeout(() => editor.endPreview(), 1500);
    };
  }, [id]);
  useEffect(() => {
    if (!mark || mark === shown.current || mark.endsWith(" ")) return;
    const now = performance.now();
    if (now - last.current < LOOK_EVERY) return;
    last.current = now;
    shown.current = mark;
    fetchBytes(`/api/jobs/${id}/preview/`).then(
      (bytes) => editor.preview(new Float32Array(bytes)),
      () => undefined,
    );
  });
}
