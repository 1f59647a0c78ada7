import {
  api,
  ask,
  send,
  type Atlas,
  type Job,
  type Project,
  type RulesChange,
  type TileRequest,
} from "../client";
import type { components, paths } from "../schema.generated";

type Schemas = components["schemas"];
type OnAtlas<Name extends string> = `/api/atlases/{atlas_id}/${Name}/`;
type Json<Body> = { content: { "application/json": Body } };

/**
 * Names of what can be asked of an atlas with a body that names the step seen: what the server
 * makes from its registry of operations, and the small edits.
 */
type AtlasAction = {
  [Path in keyof paths]: Path extends OnAtlas<infer Name>
    ? paths[Path] extends { post: { requestBody: Json<{ change: number }> } }
      ? Name
      : never
    : never;
}[keyof paths];

type Posted<Name extends AtlasAction> = paths[OnAtlas<Name>] extends {
  post: { requestBody: Json<infer Body> };
}
  ? Omit<Body, "change">
  : never;

type Answered<Name extends AtlasAction> = paths[OnAtlas<Name>] extends {
  post: { responses: infer All };
}
  ? All extends { 202: Json<infer Answer> } | { 200: Json<infer Answer> }
    ? Answer
    : never
  : never;

/** What is left open in a request is so. */
const USUAL = {
  "fit-into-gaps": { rotate: "quarter", block: false, near: null },
  "pack-here": { rotate: "quarter" },
  "slide-to-contact": { each: false },
  "in-order": { axis: "best", upright: true },
  "continue-across": { rotate: "free", scale: true, against: [] },
  edit: { draft: false },
  release: { channel: 0 },
} as const;

type Open<Body, Fields extends PropertyKey> = Omit<Body, Fields> &
  Partial<Pick<Body, Fields & keyof Body>>;

/** Where an action is done, and the step of the history that the user sees. */
export type Place = { atlas: number; project: number; change: number };

/** What is not a post to the atlas itself. */
const OTHERS = {
  tiles: ({ atlas, change }: Place, tiles: TileRequest[]) =>
    ask(
      api.PUT("/api/atlases/{atlas_id}/tiles/", {
        params: { path: { atlas_id: atlas } },
        body: { tiles, change },
      }),
    ),
  member: (
    { atlas, change }: Place,
    body: { object: number; weight?: number; proportion?: number | null },
  ) =>
    ask(
      api.PATCH("/api/atlases/{atlas_id}/", {
        params: { path: { atlas_id: atlas } },
        body: { ...body, change },
      }),
    ),
  update: (
    { atlas, change }: Place,
    { source, files, unit }: { source: number; files: File[]; unit?: number },
  ) => {
    const form = new FormData();
    form.append("source", String(source));
    form.append("change", String(change));
    if (unit !== undefined) form.append("metres_per_unit", String(unit));
    for (const file of files) form.append("files", file, file.name);
    return send<Job>(`/api/atlases/${atlas}/update/`, form);
  },
  "keep-draft": ({ change }: Place, draft: number) =>
    ask(
      api.POST("/api/drafts/{draft_id}/", {
        params: { path: { draft_id: draft } },
        body: { change },
      }),
    ),
  undo: ({ project, change }: Place) =>
    ask(
      api.POST("/api/projects/{project_id}/undo/", {
        params: { path: { project_id: project } },
        body: { change },
      }),
    ),
  redo: ({ project, change }: Place) =>
    ask(
      api.POST("/api/projects/{project_id}/redo/", {
        params: { path: { project_id: project } },
        body: { change },
      }),
    ),
  "go-to-step": ({ project, change }: Place, step: number) =>
    ask(
      api.POST("/api/projects/{project_id}/history/", {
        params: { path: { project_id: project } },
        body: { step, change },
      }),
    ),
  house: (
    { project, change }: Place,
    body: Omit<Schemas["PatchedProjectChange"], "change" | "name">,
  ) =>
    ask(
      api.PATCH("/api/projects/{project_id}/", {
        params: { path: { project_id: project } },
        body: { ...body, change },
      }),
    ),
  rules: ({ project, change }: Place, body: Omit<RulesChange, "change">) =>
    ask(
      api.PATCH("/api/projects/{project_id}/rules/", {
        params: { path: { project_id: project } },
        body: { ...body, change },
      }),
    ),
  "share-out": (
    { project, change }: Place,
    groups: { atlas: number; name: string; objects: number[] }[],
  ) =>
    ask(
      api.POST("/api/projects/{project_id}/share-out/", {
        params: { path: { project_id: project } },
        body: { groups, change },
      }),
    ),
  "new-atlas": (
    { project, change }: Place,
    body: {
      name: string;
      objects?: number[];
      islands?: number[];
      source?: number;
      again?: boolean;
      size?: number;
    },
  ) =>
    ask(
      api.POST("/api/projects/{project_id}/atlases/", {
        params: { path: { project_id: project } },
        body: { channel: 0, objects: [], islands: [], again: false, ...body, change },
      }),
    ),
  "move-objects": ({ change }: Place, { atlas, objects }: { atlas: number; objects: number[] }) =>
    ask(
      api.POST("/api/atlases/{atlas_id}/objects/", {
        params: { path: { atlas_id: atlas } },
        body: { objects, channel: 0, change },
      }),
    ),
  "move-islands": (
    { atlas: source, change }: Place,
    { atlas, islands }: { atlas: number; islands: number[] },
  ) =>
    ask(
      api.POST("/api/atlases/{atlas_id}/islands/", {
        params: { path: { atlas_id: atlas } },
        body: { source, islands, change },
      }),
    ),
  "rename-atlas": ({ change }: Place, { atlas, name }: { atlas: number; name: string }) =>
    ask(
      api.PUT("/api/atlases/{atlas_id}/name/", {
        params: { path: { atlas_id: atlas } },
        body: { name, change },
      }),
    ),
  "delete-atlas": ({ change }: Place, atlas: number) =>
    ask(
      api.POST("/api/atlases/{atlas_id}/delete/", {
        params: { path: { atlas_id: atlas } },
        body: { change },
      }),
    ),
  cancel: (_: Place, { job, keep }: { job: number; keep: boolean }) =>
    ask(
      api.POST("/api/jobs/{job_id}/cancel/", { params: { path: { job_id: job } }, body: { keep } }),
    ),
};

type Others = typeof OTHERS;
export type ActionName = AtlasAction | keyof Others;

/** What an action is told. */
export type BodyOf<Name extends ActionName> = Name extends keyof Others
  ? Parameters<Others[Name]> extends [Place, infer Body]
    ? Body
    : void
  : Name extends AtlasAction
    ? Open<Posted<Name>, Name extends keyof typeof USUAL ? keyof (typeof USUAL)[Name] : never>
    : never;

/** What it answers. */
export type AnswerOf<Name extends ActionName> = Name extends keyof Others
  ? Awaited<ReturnType<Others[Name]>>
  : Name extends AtlasAction
    ? Answered<Name>
    : never;

/** Ask the server for an action. */
export function request<Name extends ActionName>(
  name: Name,
  place: Place,
  body: BodyOf<Name>,
): Promise<AnswerOf<Name>> {
  if (name in OTHERS) {
    const other = OTHERS[name as keyof Others] as (place: Place, body: unknown) => Promise<unknown>;
    return other(place, body) as Promise<AnswerOf<Name>>;
  }
  const usual: object = name in USUAL ? USUAL[name as keyof typeof USUAL] : {};
  // The address and the body fit one another by the types of this function.
  const post = api.POST as unknown as (
    address: string,
    what: object,
  ) => Promise<{ data?: AnswerOf<Name>; error?: unknown; response: Response }>;
  return ask(
    post(`/api/atlases/{atlas_id}/${name}/`, {
      params: { path: { atlas_id: place.atlas } },
      body: { ...usual, ...(body as object), change: place.change },
    }),
  );
}

export type Answer = Atlas | Project | Job | Schemas["NewAtlasOut"] | Schemas["RulesOut"];
