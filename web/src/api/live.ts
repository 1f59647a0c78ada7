import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { editor, tellError, useUi } from "../state";
import { api, ask, type components, type Project } from "./client";

export type Here = components["schemas"]["PersonHere"];
export type Note = components["schemas"]["NoteOut"];

const EVERY = 1000, HIDDEN = 5000;
const WINDOW = Math.random().toString(36).slice(2) + Date.now().toString(36);

/** Who else is here; what others change comes in within a second. */
export function useLive(project: Project, atlas: number, on: boolean): Here[] {
  const client = useQueryClient();
  return useQuery({
    queryKey: ["pulse", project.id],
    enabled: on,
    refetchInterval: () => (document.hidden ? HIDDEN : EVERY),
    refetchIntervalInBackground: true,
    queryFn: async () => {
      const before = client.getQueryData<Project>(["project", project.id])?.change;
      const heard = await ask(api.POST("/api/projects/{project_id}/pulse/", { params: { path: { project_id: project.id } }, body: { window: WINDOW, atlas, stage: useUi.getState().stage, picked: editor.selection.list() } }));
      const now = client.getQueryData<Project>(["project", project.id])?.change;
      // What came from here meanwhile is known already.
      if (before === now && heard.change !== now && !editor.history.pending) {
        for (const key of ["project", "atlas"]) void client.invalidateQueries({ queryKey: [key] });
        for (const key of ["history", "jobs", "notes"]) void client.invalidateQueries({ queryKey: [key, project.id] });
      }
      return heard;
    },
  }).data?.people ?? [];
}

/** Notes of a project. */
export function useNotes(project: Project, on: boolean) {
  const client = useQueryClient();
  const path = { project_id: project.id };
  const options = { onError: tellError, onSettled: () => client.invalidateQueries({ queryKey: ["notes", project.id] }) };
  return {
    notes: useQuery({ queryKey: ["notes", project.id], enabled: on, refetchInterval: 5000, queryFn: () => ask(api.GET("/api/projects/{project_id}/notes/", { params: { path } })) }).data ?? [],
    say: useMutation({ mutationFn: (body: { text: string; atlas?: number; kind?: "island" | "object" | "finding" | "atlas"; object?: number; island?: number; finding?: string; answers?: number }) => ask(api.POST("/api/projects/{project_id}/notes/", { params: { path }, body: { kind: "atlas", island: -1, finding: "", ...body } })), ...options }),
    close: useMutation({ mutationFn: ({ note_id, closed }: { note_id: number; closed: boolean }) => ask(api.PATCH("/api/notes/{note_id}/", { params: { path: { note_id } }, body: { closed } })), ...options }),
    takeBack: useMutation({ mutationFn: async (note_id: number) => { await api.DELETE("/api/notes/{note_id}/", { params: { path: { note_id } } }); }, ...options }),
  };
}
