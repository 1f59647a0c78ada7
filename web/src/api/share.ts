import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { tellError } from "../state";
import {
  api,
  ask,
  type Atlas,
  type Job,
  type PlanGroup,
  type PlanObject,
  type Project,
} from "./client";
import { stepSeen } from "./step";

/** Objects that share an atlas in a plan; atlas 0 is one that is not there yet. */
export type Group = { key: string; atlas: number; name: string; size: number; objects: number[] };

/** Objects of a project that may be shared out anew. */
export function usePlanObjects(project: Project): PlanObject[] | undefined {
  return useQuery({
    queryKey: ["plan objects", project.id, project.change],
    queryFn: () =>
      ask(
        api.GET("/api/projects/{project_id}/share-plan/", {
          params: { path: { project_id: project.id } },
        }),
      ),
  }).data;
}

/** What groups of a plan become, in their order. */
export function usePlanFigures(project: Project, groups: Group[]): PlanGroup[] | undefined {
  const wanted = groups.map(({ size, objects }) => ({ size, objects }));
  return useQuery({
    queryKey: ["plan figures", project.id, wanted],
    enabled: groups.length > 0,
    placeholderData: (previous) => previous,
    queryFn: () =>
      ask(
        api.POST("/api/projects/{project_id}/share-plan/", {
          params: { path: { project_id: project.id } },
          body: { groups: wanted },
        }),
      ),
  }).data;
}

/**
 * How full the sheets of groups would be, 0 to 1, by their objects: packed quickly a moment after
 * the last change; null where nothing can be laid out.
 */
export function useCoverage(project: Project, atlas: Atlas, jobs: Job[], groups: Group[]) {
  const client = useQueryClient();
  const [known, setKnown] = useState<Map<string, number | null>>(new Map());
  const running = useRef<{ job: number; keys: string[] } | null>(null);
  const missing = groups.filter(
    (group) => group.objects.length && !known.has(setKey(group.objects)),
  );
  const waiting = JSON.stringify(missing.map((group) => group.objects));
  const done =
    running.current &&
    jobs.find(
      (job) => job.id === running.current!.job && !["queued", "running"].includes(job.state ?? ""),
    );
  useEffect(() => {
    if (!done || !running.current) return;
    const found = (done.result as { coverage?: (number | null)[] }).coverage;
    const { keys } = running.current;
    running.current = null;
    setKnown(
      (before) =>
        new Map([
          ...before,
          ...keys.map((key, k): [string, number | null] => [key, found?.[k] ?? null]),
        ]),
    );
  }, [done]);
  useEffect(() => {
    const asked = JSON.parse(waiting) as number[][];
    if (!asked.length || running.current) return;
    const timer = setTimeout(async () => {
      try {
        const job = await ask(
          api.POST("/api/atlases/{atlas_id}/plan-coverage/", {
            params: { path: { atlas_id: atlas.id } },
            body: { groups: asked, padding: 8, change: stepSeen(client, project.id) },
          }),
        );
        running.current = { job: job.id, keys: asked.map(setKey) };
        void client.invalidateQueries({ queryKey: ["jobs", project.id] });
      } catch (error) {
        tellError(error);
      }
    }, 600);
    return () => clearTimeout(timer);
  }, [waiting, known, atlas.id, project.id, client]);
  return (objects: number[]) => known.get(setKey(objects));
}

/** The atlases of a plan, as they are made: those with objects. */
export const sharedOut = (groups: Group[]) =>
  groups
    .filter((group) => group.objects.length)
    .map(({ atlas, name, objects }) => ({ atlas, name, objects }));

const setKey = (objects: number[]): string => [...objects].sort((a, b) => a - b).join(",");
