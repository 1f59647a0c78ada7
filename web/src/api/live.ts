import { type QueryClient, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { editor, tellError, useUi } from "../state";
import { api, ask, type components, type Project } from "./client";

export type Here = components["schemas"]["PersonHere"];
export type Note = components["schemas"]["NoteOut"];

const EVERY = 1000,
  HIDDEN = 5000,
  SAID_EVERY = 4000,
  SETTLED = 400;
const WINDOW = Math.random().toString(36).slice(2) + Date.now().toString(36);
type Heard = components["schemas"]["PresenceOut"] & { notes?: string };

/**
 * Who else is here; what others change comes in as it happens, or within a second where the server
 * has no room for that.
 */
export function useLive(project: Project, atlas: number): Here[] {
  const client = useQueryClient();
  const streams = useStream(project.id);
  const said = useRef({ what: "", at: 0 });
  return (
    useQuery({
      queryKey: ["presence", project.id],
      refetchInterval: () => (document.hidden ? HIDDEN : EVERY),
      refetchIntervalInBackground: true,
      queryFn: async () => {
        const body = {
          window: WINDOW,
          atlas,
          stage: useUi.getState().stage,
          picked: editor.selection.list(),
        };
        const what = JSON.stringify(body),
          known = client.getQueryData<Heard>(["presence", project.id]);
        // While news come by themselves only one's own are said, and now and then that one is here.
        if (
          streams.current &&
          known &&
          said.current.what === what &&
          Date.now() - said.current.at < SAID_EVERY
        )
          return known;
        said.current = { what, at: Date.now() };
        const before = changeOf(client, project.id);
        const heard: Heard = await ask(
          api.POST("/api/projects/{project_id}/presence/", {
            params: { path: { project_id: project.id } },
            body,
          }),
        );
        // What came from here meanwhile is known already.
        if (before === changeOf(client, project.id)) take(client, project.id, heard);
        return heard;
      },
    }).data?.people ?? []
  );
}

const changeOf = (client: QueryClient, project: number) =>
  client.getQueryData<Project>(["project", project])?.change;

/** Fetch what others have changed; true when there was something. */
function take(client: QueryClient, project: number, heard: Heard): boolean {
  if (heard.change === changeOf(client, project) || editor.history.pending) return false;
  for (const key of ["project", "atlas"]) void client.invalidateQueries({ queryKey: [key] });
  for (const key of ["history", "jobs", "notes"])
    void client.invalidateQueries({ queryKey: [key, project] });
  return true;
}

/** Listen to what the server tells by itself; whether it does. */
function useStream(project: number) {
  const client = useQueryClient();
  const streams = useRef(false);
  useEffect(() => {
    const source = new EventSource(`/api/projects/${project}/live/?window=${WINDOW}`);
    let last: Heard | null = null,
      timer = 0;
    // An edit from here may be told before its own answer has come: what was just fetched is left alone for a moment.
    const settle = () => {
      const state = client.getQueryState(["project", project]);
      window.clearTimeout(timer);
      if (!last || last.change === changeOf(client, project)) return;
      if (editor.history.pending || Date.now() - (state?.dataUpdatedAt ?? 0) < SETTLED)
        timer = window.setTimeout(settle, SETTLED);
      else take(client, project, last);
    };
    source.onopen = () => {
      streams.current = true;
    };
    source.onerror = () => {
      streams.current = false;
    };
    source.onmessage = (event: MessageEvent<string>) => {
      const heard = JSON.parse(event.data) as Heard;
      if (last && heard.notes !== last.notes)
        void client.invalidateQueries({ queryKey: ["notes", project] });
      if (last && heard.jobs !== last.jobs)
        void client.invalidateQueries({ queryKey: ["jobs", project] });
      last = heard;
      client.setQueryData(["presence", project], heard);
      settle();
    };
    return () => {
      streams.current = false;
      window.clearTimeout(timer);
      source.close();
    };
  }, [client, project]);
  return streams;
}

/** Notes of a project. */
export function useNotes(project: Project, on: boolean) {
  const client = useQueryClient();
  const path = { project_id: project.id };
  const options = {
    onError: tellError,
    onSettled: () => client.invalidateQueries({ queryKey: ["notes", project.id] }),
  };
  return {
    notes:
      useQuery({
        queryKey: ["notes", project.id],
        enabled: on,
        refetchInterval: 5000,
        queryFn: () => ask(api.GET("/api/projects/{project_id}/notes/", { params: { path } })),
      }).data ?? [],
    say: useMutation({
      mutationFn: (body: {
        text: string;
        atlas?: number;
        kind?: "island" | "object" | "finding" | "atlas";
        object?: number;
        island?: number;
        finding?: string;
        answers?: number;
      }) =>
        ask(
          api.POST("/api/projects/{project_id}/notes/", {
            params: { path },
            body: { kind: "atlas", island: -1, finding: "", ...body },
          }),
        ),
      ...options,
    }),
    close: useMutation({
      mutationFn: ({ note_id, closed }: { note_id: number; closed: boolean }) =>
        ask(
          api.PATCH("/api/notes/{note_id}/", { params: { path: { note_id } }, body: { closed } }),
        ),
      ...options,
    }),
    takeBack: useMutation({
      mutationFn: async (note_id: number) => {
        await api.DELETE("/api/notes/{note_id}/", { params: { path: { note_id } } });
      },
      ...options,
    }),
  };
}
