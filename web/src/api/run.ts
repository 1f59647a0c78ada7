import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { tellError } from "../state";
import { api, ask, send, type Project, type RunLine } from "./client";

/** The lines of a project's run sheet, and what can be done with them. */
export function useRunSheet(project: Project) {
  const client = useQueryClient();
  const fresh = () => {
    void client.invalidateQueries({ queryKey: ["run sheet", project.id] });
    void client.invalidateQueries({ queryKey: ["jobs", project.id] });
  };
  const options = {
    onSuccess: fresh,
    onError: (error: unknown) => {
      tellError(error);
      fresh();
    },
  };
  const found = useQuery({
    queryKey: ["run sheet", project.id, project.change],
    placeholderData: (previous: RunLine[] | undefined) => previous,
    queryFn: () =>
      ask(
        api.GET("/api/projects/{project_id}/run-sheet/", {
          params: { path: { project_id: project.id } },
        }),
      ),
  });
  return {
    lines: found.data,
    /** Whether the lines stand as they stood before the last step. */
    old: found.isPlaceholderData,
    remember: useMutation({
      mutationFn: ({ atlas, name }: { atlas: number; name: string }) =>
        ask(
          api.POST("/api/atlases/{atlas_id}/remember/", {
            params: { path: { atlas_id: atlas } },
            body: { name },
          }),
        ),
      ...options,
    }),
    change: useMutation({
      mutationFn: ({
        line,
        ...body
      }: {
        line: number;
        name?: string;
        hold?: boolean;
        steps?: RunLine["steps"];
        atlases?: number[];
      }) =>
        ask(api.PATCH("/api/run-lines/{line_id}/", { params: { path: { line_id: line } }, body })),
      ...options,
    }),
    drop: useMutation({
      mutationFn: async (line: number) => {
        await api.DELETE("/api/run-lines/{line_id}/", { params: { path: { line_id: line } } });
      },
      ...options,
    }),
    run: useMutation({
      mutationFn: (lines: number[]) =>
        lines.length === 1
          ? ask(
              api.POST("/api/run-lines/{line_id}/run/", {
                params: { path: { line_id: lines[0] } },
              }),
            )
          : ask(
              api.POST("/api/projects/{project_id}/run-sheet/", {
                params: { path: { project_id: project.id } },
                body: { lines },
              }),
            ),
      ...options,
    }),
    putBack: useMutation({
      mutationFn: ({ line, revision }: { line: number; revision: number }) =>
        ask(
          api.POST("/api/run-lines/{line_id}/put-back/", {
            params: { path: { line_id: line } },
            body: { revision, change: project.change },
          }),
        ),
      ...options,
      onSuccess: () => {
        fresh();
        void client.invalidateQueries();
      },
    }),
    read: useMutation({
      mutationFn: (file: File) => {
        const form = new FormData();
        form.append("file", file, file.name);
        return send<RunLine[]>(`/api/projects/${project.id}/run-sheet.toml`, form);
      },
      ...options,
    }),
    refresh: fresh,
  };
}
