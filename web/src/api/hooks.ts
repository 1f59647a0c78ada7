import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useSyncExternalStore } from "react";
import type { Geometry } from "../editor/layout/readGeometry";
import { readGeometry } from "../editor/layout/readGeometry";
import type { Topic } from "../editor/Editor";
import { editor, useUi } from "../state";
import { api, ask, fetchBytes, type Job, type Project } from "./client";
import { useSoon } from "./operations";
import { started } from "./actions/act";
import { keepSteps } from "./step";

/**
 * The editor, for a component that shows these topics: it is drawn anew when one of them changes,
 * and for nothing else.
 */
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

/** What figures in sight are of where they are not of the layout that is shown; they carry it as `data-old`. */
export function oldWords({ figuresAreOld, view }: typeof editor): string | undefined {
  if (!figuresAreOld) return undefined;
  return view.previewed
    ? "of the layout before the search"
    : "of the layout before; newer ones are being measured";
}

/** The same of the report and its findings. */
export const oldReport = ({ figures }: typeof editor): string | undefined =>
  figures.stale ? "of the layout before; it is being checked again" : undefined;

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
  seams: "natural",
  angle: 45,
  stretch: 1.05,
  balance: 0.5,
  weld: 0,
  symmetric: false,
  draft: false,
} as const;

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
      void client.invalidateQueries({ queryKey: ["report"] });
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
export function useShownLayout(revision: { id: number; digest: string } | undefined) {
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
        fetchBytes(`/api/revisions/${revisionId}/geometry.glb?v=${revision!.digest}`);
      // Where no geometry is known at all it is asked for at once, beside the rest.
      const early = geometries.size ? null : fetchGeometry();
      early?.catch(() => undefined);
      const [info, bytes] = await Promise.all([
        ask(api.GET("/api/revisions/{revision_id}/", path)),
        fetchBytes(`/api/revisions/${revisionId}/placements/?v=${revision!.digest}`),
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
