import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { tellError } from "../state";
import { api, ask, type Atlas } from "./client";
import { jobDone } from "./jobDone";
import type { components } from "./schema.generated";
import { stepSeen } from "./step";

/** The chain of steps of a project, the oldest first. */
export function useSteps(projectId: number) {
  return useQuery({
    queryKey: ["history", projectId],
    placeholderData: (previous) => previous,
    queryFn: () =>
      ask(
        api.GET("/api/projects/{project_id}/history/", {
          params: { path: { project_id: projectId } },
        }),
      ),
  });
}

/** Give a step a name. */
export function useStepName(projectId: number) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async ({ step, label }: { step: number; label: string }) => {
      const { response, error } = await api.PATCH("/api/projects/{project_id}/history/{step_id}/", {
        params: { path: { project_id: projectId, step_id: step } },
        body: { label },
      });
      if (!response.ok) throw error;
    },
    onError: tellError,
    onSettled: () => client.invalidateQueries({ queryKey: ["history", projectId] }),
  });
}

export type Differences = components["schemas"]["DiffResult"];

/** What differs between an atlas as it is and as it was at a step. */
export function useDifferences(atlas: Atlas, step: number) {
  const client = useQueryClient();
  return useQuery({
    queryKey: ["diff", atlas.id, atlas.head.id, step],
    retry: false,
    queryFn: async ({ signal }) => {
      const job = await ask(
        api.POST("/api/atlases/{atlas_id}/diff/", {
          params: { path: { atlas_id: atlas.id } },
          body: { change: stepSeen(client, atlas.project), step },
        }),
      );
      const { result } = await jobDone(job, signal);
      return result as unknown as Differences;
    },
  });
}
