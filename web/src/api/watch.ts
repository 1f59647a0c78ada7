import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { tellError } from "../state";
import { api, ask, type Project } from "./client";

const EVERY = 4000;

/** The folder that a project watches; looked into as long as the project is open. */
export function useWatch(project: Project) {
  const client = useQueryClient();
  const path = { project_id: project.id };
  const key = ["watch", project.id];
  const options = {
    onError: tellError,
    onSettled: () => client.invalidateQueries({ queryKey: key }),
  };
  const now =
    useQuery({
      queryKey: key,
      // Nothing is answered where nothing is watched.
      queryFn: async () => {
        const asked = await api.POST("/api/projects/{project_id}/watch/", { params: { path } });
        return asked.response.status === 204 ? null : ask(Promise.resolve(asked));
      },
      refetchInterval: ({ state }) => (state.data ? EVERY : false),
    }).data ?? null;
  // What was started, here or by the server itself, may be over before anybody asks for jobs.
  const mark = now ? `${now.started} ${now.change}` : "";
  useEffect(() => {
    if (!now) return;
    for (const key of [
      ["jobs", project.id],
      ["project", project.id],
      ["atlas"],
      ["run sheet", project.id],
    ])
      void client.invalidateQueries({ queryKey: key });
  }, [mark, client, project.id]); // eslint-disable-line react-hooks/exhaustive-deps
  return {
    now,
    watch: useMutation({
      mutationFn: (body: { path: string; run_lines: boolean }) =>
        ask(api.PUT("/api/projects/{project_id}/watch/", { params: { path }, body })),
      ...options,
    }),
    end: useMutation({
      mutationFn: async () => {
        await api.DELETE("/api/projects/{project_id}/watch/", { params: { path } });
      },
      ...options,
    }),
  };
}
