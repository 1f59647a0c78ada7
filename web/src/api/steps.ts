import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { tellError } from "../state";
import { api, ask } from "./client";

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
