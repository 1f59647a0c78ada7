import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useSyncExternalStore } from "react";
import type { Geometry } from "../editor/layout/readGeometry";
import { readGeometry } from "../editor/layout/readGeometry";
import type { Topic } from "../editor/Editor";
import type { PlaceEdit } from "../editor/history/HistoryManager";
import { editor, tellError, useUi } from "../state";
import {
  api,
  ask,
  fetchBytes,
  send,
  type Atlas,
  type BakeRequest,
  type ControlRequest,
  type CopyLayoutRequest,
  type EditRequest,
  type EvenOutRequest,
  type Job,
  type MergeRequest,
  type PackRequest,
  type Project,
  type TexturesRequest,
  type TileRequest,
  type UnwrapRequest,
  type VisibilityRequest,
} from "./client";
import { useSoon } from "./operations";
import { keepSteps, showAtlas, showProject, stepSeen } from "./step";

/** The editor, for a component that shows these topics: it is drawn anew when one of them changes, and for nothing else. */
export function useEditor(...topics: Topic[]) {
  const key = topics.join();
  const store = useMemo(() => {
    const signals = (key ? (key.split(",") as Topic[]) : []).map((topic) => editor.signal(topic));
    return {
      subscribe: (heard: () => void) => {
        const ends = signals.map((signal) => signal.subscribe(heard));
        return () => ends.forEach((end) => end());
      },
      version: () => signals.reduce((sum, signal) => sum + signal.version, 0),
    };
  }, [key]);
  useSyncExternalStore(store.subscribe, store.version);
  return editor;
}

export function useProjects() {
  return useQuery({ queryKey: ["projects"], queryFn: () => ask(api.GET("/api/projects/")) });
}

export function useProject(id: number) {
  return useQuery({
    queryKey: ["project", id],
    queryFn: () =>
      ask(api.GET("/api/projects/{project_id}/", { params: { path: { project_id: id } } })),
  });
}

export function useAtlas(id: number | undefined) {
  const client = useQueryClient();
  return useQuery({
    queryKey: ["atlas", id],
    enabled: id !== undefined,
    queryFn: async () => {
      const atlas = await ask(
        api.GET("/api/atlases/{atlas_id}/", { params: { path: { atlas_id: id! } } }),
      );
      keepSteps(client, atlas.project, atlas);
      return atlas;
    },
  });
}

export const isActive = (job: Job) => job.state === "queued" || job.state === "running";

/** How objects are unwrapped at a click. */
export const AT_A_CLICK = {
  seams: "shape",
  angle: 45,
  stretch: 1.05,
  balance: 0.5,
  weld: 0,
  symmetric: false,
  draft: false,
} as const;

/** What an edit of a layout asks for. */
export type Edit = Omit<EditRequest, "change" | "draft"> & { draft?: boolean };

/** Jobs that were started from this page. */
const started = new Set<number>();

/** Jobs of a project, asked for often while one is at work. When one ends, the layout is fetched anew. */
export function useJobs(projectId: number) {
  const client = useQueryClient();
  const soon = useSoon();
  const query = useQuery({
    queryKey: ["jobs", projectId],
    queryFn: () =>
      ask(
        api.GET("/api/projects/{project_id}/jobs/", {
          params: { path: { project_id: projectId } },
        }),
      ),
    refetchInterval: (q) =>
      q.state.data?.some((job) => isActive(job) && soon(job.kind))
        ? 90
        : q.state.data?.some(isActive)
          ? 250
          : 4000,
  });
  const known = useRef(new Map<number, string>());
  useEffect(() => {
    for (const job of query.data ?? []) {
      // One that was started here may be done before it is first looked at.
      const before = known.current.get(job.id) ?? (started.has(job.id) ? "queued" : undefined);
      known.current.set(job.id, job.state ?? "");
      if (!before || before === job.state || isActive(job)) continue;
      void client.invalidateQueries({ queryKey: ["atlas"] });
      void client.invalidateQueries({ queryKey: ["layout"] });
      void client.invalidateQueries({ queryKey: ["proof"] });
      void client.invalidateQueries({ queryKey: ["drafts"] });
      void client.invalidateQueries({ queryKey: ["plan"] });
      void client.invalidateQueries({ queryKey: ["project", projectId] });
      void client.invalidateQueries({ queryKey: ["history", projectId] });
      if (job.state === "failed") {
        const told = (job.error ?? {}) as { what?: string; where?: string; fix?: string };
        useUi.getState().tell({
          kind: "error",
          what: told.what ?? job.message ?? "It failed.",
          where: told.where,
          fix: told.fix,
        });
      }
      const { islands, of } = (job.result ?? {}) as { islands?: number; of?: number };
      if (
        job.state === "done" &&
        (job.kind === "fit-into-gaps" || job.kind === "pack-here") &&
        islands !== undefined &&
        of !== undefined &&
        islands < of
      )
        useUi.getState().tell({
          kind: "done",
          what: `${islands} of ${of} islands found a place; what lay on that tile is on the side table now, the rest where it was.`,
        });
      const copies = (
        job.result as { objects?: { object: string; misfit: number; parts: number }[] } | undefined
      )?.objects;
      const parts = (copies ?? []).reduce((sum, row) => sum + (row.parts ?? 0), 0);
      if (job.state === "done" && job.kind === "copy-layout" && copies && !parts) {
        const moved = copies.filter((copy) => copy.misfit > 1e-4).length;
        useUi.getState().tell({
          kind: "done",
          what: `The layout went to ${copies.map((copy) => copy.object).join(", ")}${moved ? `; ${moved} of them ${moved === 1 ? "differs" : "differ"} in shape, so its texels are stretched there` : ""}.`,
        });
      }
      if (job.state === "done" && job.kind === "copy-layout" && parts)
        useUi.getState().tell({
          kind: "done",
          what: `The layout of that part went to ${parts} ${parts === 1 ? "other" : "others"}; they are on the side table.`,
        });
      const edited = job.result as
        { note?: string; done?: string; refused?: number; draft?: boolean } | undefined;
      if (job.state === "done" && job.kind === "edit" && edited?.note)
        useUi.getState().tell({
          kind: "done",
          what: `${edited.draft ? "A draft, see Drafts. " : ""}${said(edited.done ?? "")}: ${edited.note}.${edited.refused ? ` ${edited.refused} other ${edited.refused === 1 ? "object" : "objects"} could not be done.` : ""}`,
        });
      const { failed } = (job.result ?? {}) as { failed?: unknown[] };
      if (job.state === "done" && job.kind === "run sheet" && failed?.length)
        useUi.getState().tell({
          kind: "error",
          changed: true,
          what:
            failed.length === 1
              ? "One line failed; the others are done."
              : `${failed.length} lines failed; the others are done.`,
          where: "run sheet",
          fix:
            failed.length === 1
              ? "The run sheet says why; its layout is as it was."
              : "The run sheet says why; their layouts are as they were.",
        });
      if (job.kind === "export" && job.state === "done")
        window.location.assign(`/api/jobs/${job.id}/download/`);
    }
  }, [query.data, client, projectId]);
  return query.data ?? [];
}

const said = (verb: string) => verb.charAt(0).toUpperCase() + verb.slice(1);

const geometries = new Map<string, Promise<Geometry>>();

/** Fetch a revision and show it; geometry only when the set of objects is a new one. */
export function useShownLayout(revision: { id: number; mark: string } | undefined) {
  const revisionId = revision?.id;
  const query = useQuery({
    queryKey: ["layout", revisionId],
    enabled: revisionId !== undefined,
    placeholderData: (previous) => previous,
    // A job may have ended between the first look at the layout and the first look at the jobs.
    refetchInterval: (q) =>
      q.state.data && !q.state.data.info.figures
        ? q.state.data.info.world_area.length > 2000
          ? 1000
          : 250
        : false,
    queryFn: async () => {
      const path = { params: { path: { revision_id: revisionId! } } };
      const fetchGeometry = () =>
        fetchBytes(`/api/revisions/${revisionId}/geometry.glb?v=${revision!.mark}`);
      // Where no geometry is known at all it is asked for at once, beside the rest.
      const early = geometries.size ? null : fetchGeometry();
      early?.catch(() => undefined);
      const [info, bytes] = await Promise.all([
        ask(api.GET("/api/revisions/{revision_id}/", path)),
        fetchBytes(`/api/revisions/${revisionId}/placements/?v=${revision!.mark}`),
      ]);
      const contents = JSON.stringify(info.objects.map((o) => [o.id, o.base, o.part]));
      if (!geometries.has(contents)) {
        geometries.clear();
        const loading = (early ?? fetchGeometry()).then((glb) =>
          readGeometry(glb, info.world_area.length),
        );
        loading.catch(() => geometries.delete(contents));
        geometries.set(contents, loading);
      }
      return {
        info,
        placements: new Float32Array(bytes),
        geometry: await geometries.get(contents)!,
      };
    },
  });
  const { data } = query;
  useEffect(() => {
    if (data) editor.show(data.info, data.placements, data.geometry);
  }, [data]);
  return query;
}

/** Objects that lie in no atlas. */
export function useLooseObjects(project: Project) {
  return (
    useQuery({
      queryKey: ["loose", project.id, project.change],
      placeholderData: (previous) => previous,
      queryFn: () =>
        ask(
          api.GET("/api/projects/{project_id}/loose/", {
            params: { path: { project_id: project.id } },
          }),
        ),
    }).data ?? []
  );
}

/** Actions on an atlas; errors are told, and what changed is fetched again. */
export function useActions(atlas: Atlas | undefined, projectId: number) {
  const client = useQueryClient();
  const refresh = () => {
    void client.invalidateQueries({ queryKey: ["jobs", projectId] });
    void client.invalidateQueries({ queryKey: ["project", projectId] });
    void client.invalidateQueries({ queryKey: ["atlas"] });
  };
  const path = { path: { atlas_id: atlas?.id ?? 0 } };
  const ofProject = { path: { project_id: projectId } };
  // What the user saw: the server rebases an edit, or says what has changed.
  const seen = () => ({ change: stepSeen(client, projectId) });
  const options = {
    onSuccess: (job: { id: number }) => {
      started.add(job.id);
      refresh();
    },
    onError: (error: unknown) => {
      tellError(error);
      refresh();
    },
  };
  const moved = { ...options, onSuccess: (data: Atlas) => showAtlas(client, projectId, data) };
  const stepped = { ...options, onSuccess: (data: Project) => showProject(client, data) };
  return {
    evenOut: useMutation({
      mutationFn: (body: Omit<EvenOutRequest, "change">) =>
        ask(
          api.POST("/api/atlases/{atlas_id}/even-out/", {
            params: path,
            body: { ...body, ...seen() },
          }),
        ),
      ...options,
    }),
    pack: useMutation({
      mutationFn: (body: Omit<PackRequest, "change">) =>
        ask(
          api.POST("/api/atlases/{atlas_id}/pack/", { params: path, body: { ...body, ...seen() } }),
        ),
      ...options,
    }),
    control: useMutation({
      mutationFn: (body: Omit<ControlRequest, "change">) =>
        editor.history.follow(async () => {
          const now = await ask(
            api.POST("/api/atlases/{atlas_id}/control/", {
              params: path,
              body: { ...body, ...seen() },
            }),
          );
          // An undo that waits for this one begins from it.
          keepSteps(client, projectId, now);
          return now;
        }),
      ...moved,
      // The table shows it at once; the answer confirms it, or it is taken back with the reason.
      onMutate: (body) => editor.expect(body.islands, body),
      onError: (error) => {
        editor.takeBack();
        options.onError(error);
      },
    }),
    place: useMutation({
      mutationFn: ({ sideTable, verb, islands, moves }: PlaceEdit) =>
        ask(
          api.POST("/api/atlases/{atlas_id}/move/", {
            params: path,
            body: {
              verb,
              islands: [...islands],
              moves: moves.map((m) => [...m]),
              side_table: sideTable ?? null,
              ...seen(),
            },
          }),
        ),
      ...moved,
    }),
    slide: useMutation({
      mutationFn: (body: {
        islands: number[];
        direction: "left" | "right" | "up" | "down";
        each?: boolean;
      }) =>
        editor.history.settled().then(() =>
          ask(
            api.POST("/api/atlases/{atlas_id}/slide-to-contact/", {
              params: path,
              body: { each: false, ...body, ...seen() },
            }),
          ),
        ),
      ...moved,
    }),
    makeRoom: useMutation({
      mutationFn: (islands: number[]) =>
        editor.history.settled().then(() =>
          ask(
            api.POST("/api/atlases/{atlas_id}/make-room/", {
              params: path,
              body: { islands, ...seen() },
            }),
          ),
        ),
      ...moved,
      onSuccess: (data) => {
        moved.onSuccess(data);
        useUi.getState().tell({ kind: "done", what: `${data.what}.` });
      },
    }),
    fitIntoGaps: useMutation({
      mutationFn: (body: {
        islands: number[];
        tile: number;
        near?: [number, number];
        block?: boolean;
      }) =>
        editor.history.settled().then(() =>
          ask(
            api.POST("/api/atlases/{atlas_id}/fit-into-gaps/", {
              params: path,
              body: { rotate: "quarter", block: false, near: null, ...body, ...seen() },
            }),
          ),
        ),
      ...options,
    }),
    packHere: useMutation({
      mutationFn: (body: {
        islands: number[];
        tile: number;
        region: [number, number][];
        grow: boolean;
      }) =>
        editor.history.settled().then(() =>
          ask(
            api.POST("/api/atlases/{atlas_id}/pack-here/", {
              params: path,
              body: { rotate: "quarter", ...body, ...seen() },
            }),
          ),
        ),
      ...options,
    }),
    shrinkToFit: useMutation({
      mutationFn: (islands: number[]) =>
        editor.history.settled().then(() =>
          ask(
            api.POST("/api/atlases/{atlas_id}/shrink-to-fit/", {
              params: path,
              body: { islands, ...seen() },
            }),
          ),
        ),
      ...options,
    }),
    unwrap: useMutation({
      mutationFn: (body: Omit<UnwrapRequest, "change">) =>
        editor.history.settled().then(() =>
          ask(
            api.POST("/api/atlases/{atlas_id}/unwrap/", {
              params: path,
              body: { ...body, ...seen() },
            }),
          ),
        ),
      ...options,
    }),
    copyLayout: useMutation({
      mutationFn: (body: Omit<CopyLayoutRequest, "change">) =>
        editor.history.settled().then(() =>
          ask(
            api.POST("/api/atlases/{atlas_id}/copy-layout/", {
              params: path,
              body: { ...body, ...seen() },
            }),
          ),
        ),
      ...options,
    }),
    unlink: useMutation({
      mutationFn: (object: number) =>
        editor.history.settled().then(() =>
          ask(
            api.POST("/api/atlases/{atlas_id}/cut-link/", {
              params: path,
              body: { object, ...seen() },
            }),
          ),
        ),
      ...moved,
    }),
    edit: useMutation({
      mutationFn: (body: Edit) =>
        editor.history.settled().then(() =>
          ask(
            api.POST("/api/atlases/{atlas_id}/edit/", {
              params: path,
              body: { draft: false, ...body, ...seen() },
            }),
          ),
        ),
      ...options,
    }),
    setTiles: useMutation({
      mutationFn: (tiles: TileRequest[]) =>
        ask(
          api.PUT("/api/atlases/{atlas_id}/tiles/", { params: path, body: { tiles, ...seen() } }),
        ),
      ...moved,
    }),
    keepDraft: useMutation({
      mutationFn: (draft: number) =>
        ask(
          api.POST("/api/drafts/{draft_id}/", {
            params: { path: { draft_id: draft } },
            body: seen(),
          }),
        ),
      ...moved,
    }),
    merge: useMutation({
      mutationFn: (body: Omit<MergeRequest, "change">) =>
        editor.history.settled().then(() =>
          ask(
            api.POST("/api/atlases/{atlas_id}/merge/", {
              params: path,
              body: { ...body, ...seen() },
            }),
          ),
        ),
      ...options,
    }),
    update: useMutation({
      mutationFn: ({ source, files }: { source: number; files: File[] }) => {
        const form = new FormData();
        form.append("source", String(source));
        form.append("change", String(seen().change));
        for (const file of files) form.append("files", file, file.name);
        return editor.history
          .settled()
          .then(() => send<Job>(`/api/atlases/${atlas?.id ?? 0}/update/`, form));
      },
      ...options,
    }),
    visibility: useMutation({
      mutationFn: (body: Omit<VisibilityRequest, "change">) =>
        editor.history.settled().then(() =>
          ask(
            api.POST("/api/atlases/{atlas_id}/visibility/", {
              params: path,
              body: { ...body, ...seen() },
            }),
          ),
        ),
      ...options,
    }),
    bake: useMutation({
      mutationFn: (body: Omit<BakeRequest, "change">) =>
        editor.history.settled().then(() =>
          ask(
            api.POST("/api/atlases/{atlas_id}/bake/", {
              params: path,
              body: { ...body, ...seen() },
            }),
          ),
        ),
      ...options,
    }),
    textures: useMutation({
      mutationFn: (body: Omit<TexturesRequest, "change">) =>
        editor.history.settled().then(() =>
          ask(
            api.POST("/api/atlases/{atlas_id}/textures/", {
              params: path,
              body: { ...body, ...seen() },
            }),
          ),
        ),
      ...options,
    }),
    handOff: useMutation({
      mutationFn: (edits: string[]) =>
        ask(
          api.POST("/api/atlases/{atlas_id}/export/", { params: path, body: { ...seen(), edits } }),
        ),
      ...options,
    }),
    undo: useMutation({
      // What was done by hand a moment ago is on its way first.
      mutationFn: () =>
        editor.history
          .settled()
          .then(() =>
            ask(api.POST("/api/projects/{project_id}/undo/", { params: ofProject, body: seen() })),
          ),
      ...stepped,
    }),
    redo: useMutation({
      mutationFn: () =>
        editor.history
          .settled()
          .then(() =>
            ask(api.POST("/api/projects/{project_id}/redo/", { params: ofProject, body: seen() })),
          ),
      ...stepped,
    }),
    goTo: useMutation({
      mutationFn: (step: number) =>
        ask(
          api.POST("/api/projects/{project_id}/history/", {
            params: ofProject,
            body: { step, ...seen() },
          }),
        ),
      ...stepped,
    }),
    newAtlas: useMutation({
      mutationFn: (body: {
        name: string;
        objects?: number[];
        islands?: number[];
        source?: number;
      }) =>
        ask(
          api.POST("/api/projects/{project_id}/atlases/", {
            params: ofProject,
            body: { channel: 0, objects: [], islands: [], ...body, ...seen() },
          }),
        ),
      ...options,
      onSuccess: ({ project }) => showProject(client, project),
    }),
    moveObjects: useMutation({
      mutationFn: (body: { atlas: number; objects: number[] }) =>
        ask(
          api.POST("/api/atlases/{atlas_id}/objects/", {
            params: { path: { atlas_id: body.atlas } },
            body: { objects: body.objects, channel: 0, ...seen() },
          }),
        ),
      ...stepped,
    }),
    moveIslands: useMutation({
      mutationFn: (body: { atlas: number; islands: number[] }) =>
        ask(
          api.POST("/api/atlases/{atlas_id}/islands/", {
            params: { path: { atlas_id: body.atlas } },
            body: { source: path.path.atlas_id, islands: body.islands, ...seen() },
          }),
        ),
      ...stepped,
    }),
    releaseIslands: useMutation({
      mutationFn: (islands: number[]) =>
        ask(
          api.POST("/api/atlases/{atlas_id}/release-islands/", {
            params: path,
            body: { islands, ...seen() },
          }),
        ),
      ...stepped,
    }),
    releaseObjects: useMutation({
      mutationFn: (objects: number[]) =>
        ask(
          api.POST("/api/atlases/{atlas_id}/release/", {
            params: path,
            body: { objects, channel: 0, ...seen() },
          }),
        ),
      ...stepped,
    }),
    renameAtlas: useMutation({
      mutationFn: (body: { atlas: number; name: string }) =>
        ask(
          api.PUT("/api/atlases/{atlas_id}/name/", {
            params: { path: { atlas_id: body.atlas } },
            body: { name: body.name, ...seen() },
          }),
        ),
      ...stepped,
    }),
    deleteAtlas: useMutation({
      mutationFn: (id: number) =>
        ask(
          api.POST("/api/atlases/{atlas_id}/delete/", {
            params: { path: { atlas_id: id } },
            body: seen(),
          }),
        ),
      ...stepped,
    }),
    setChannel: useMutation({
      mutationFn: (body: { objects: number[]; source: number; target: number }) =>
        ask(
          api.POST("/api/atlases/{atlas_id}/channel/", {
            params: path,
            body: { ...body, ...seen() },
          }),
        ),
      ...moved,
    }),
    setMember: useMutation({
      mutationFn: (body: { object: number; weight?: number; proportion?: number | null }) =>
        ask(api.PATCH("/api/atlases/{atlas_id}/", { params: path, body: { ...body, ...seen() } })),
      ...moved,
    }),
    setHouse: useMutation({
      mutationFn: (body: { house_density?: number; tolerance?: number; uv_tolerance?: number }) =>
        ask(
          api.PATCH("/api/projects/{project_id}/", {
            params: ofProject,
            body: { ...body, ...seen() },
          }),
        ),
      ...stepped,
    }),
    cancel: useMutation({
      mutationFn: ({ job, keep }: { job: number; keep: boolean }) =>
        ask(
          api.POST("/api/jobs/{job_id}/cancel/", {
            params: { path: { job_id: job } },
            body: { keep },
          }),
        ),
      ...options,
    }),
  };
}

export type Actions = ReturnType<typeof useActions>;
