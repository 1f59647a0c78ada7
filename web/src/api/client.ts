import createClient from "openapi-fetch";
import { reach } from "./connection";
import type { components, paths } from "./schema.generated";

export type { components };

export type Project = components["schemas"]["ProjectOut"];
export type Step = components["schemas"]["HistoryStepOut"];
export type AtlasTab = components["schemas"]["AtlasTabOut"];
export type Atlas = components["schemas"]["AtlasOut"];
export type LayoutInfo = components["schemas"]["LayoutOut"];
export type ObjectRow = components["schemas"]["ObjectOut"];
export type Figures = components["schemas"]["FiguresOut"];
export type Job = components["schemas"]["JobOut"];
export type PackRequest = components["schemas"]["PackIn"];
export type ControlRequest = components["schemas"]["ControlIn"];
export type TileRequest = components["schemas"]["TileIn"];
export type UpdateResult = components["schemas"]["UpdateResult"];
export type LookAlikeGroup = components["schemas"]["LookAlikesResult"]["groups"][number];
export type PlanRequest = components["schemas"]["PlanIn"];
export type PlanResult = components["schemas"]["PlanResult"];
export type StacksResult = components["schemas"]["StacksResult"];
export type Candidate = StacksResult["candidates"][number];
export type Draft = components["schemas"]["DraftOut"];
export type Report = components["schemas"]["CheckOut"];
export type Finding = components["schemas"]["FindingOut"];
export type Rules = components["schemas"]["RulesOut"];
export type RulesChange = components["schemas"]["PatchedRulesIn"];
export type KindInfo = components["schemas"]["KindOut"];
export type Profile = components["schemas"]["ProfileOut"];
export type PlanObject = components["schemas"]["PlanObject"];
export type PlanGroup = components["schemas"]["PlanGroupOut"];
export type BakeRequest = components["schemas"]["BakeIn"];
export type RunLine = components["schemas"]["RunLineOut"];
export type HandOffTextures = components["schemas"]["HandOffTexturesOut"];
export type Shelf = components["schemas"]["ShelfOut"];
export type ShelfMaterial = components["schemas"]["ShelfMaterial"];
export type TexturesRequest = components["schemas"]["TexturesIn"];
export type MergeRequest = components["schemas"]["MergeIn"];
export type Operation = components["schemas"]["OperationOut"];
export type Limit = components["schemas"]["LimitOut"];

export const api = createClient<paths>({
  baseUrl: "",
  fetch: (request) => reach(request),
});

/** An error the server explains: what is wrong, where, and what to do. */
export class Explained extends Error {
  constructor(
    readonly what: string,
    readonly where = "",
    readonly fix = "",
    readonly status = 0,
  ) {
    super([where, what, fix].filter(Boolean).join(" · "));
  }
}

function explained(body: unknown, status: number): Explained {
  const told = (body ?? {}) as { what?: string; where?: string; fix?: string };
  if (told.what) return new Explained(told.what, told.where, told.fix, status);
  return new Explained(
    `The server answered ${status || "nothing"}.`,
    "",
    "Is it still running? Your work is kept there.",
    status,
  );
}

/** The data of an answer, or an explained error. */
export async function ask<T>(
  call: Promise<{ data?: T; error?: unknown; response: Response }>,
): Promise<T> {
  const answer = await call;
  if (answer.data === undefined) throw explained(answer.error, answer.response.status);
  return answer.data;
}

export async function fetchBytes(url: string): Promise<ArrayBuffer> {
  const response = await reach(url);
  if (!response.ok) throw explained(await response.json().catch(() => null), response.status);
  return response.arrayBuffer();
}

const MAX_UPLOAD_BYTES = 512 * 1024 * 1024;

/** Send files; large uploads are refused before a byte is sent. */
export async function uploadFiles(
  project: number,
  files: File[],
  metresPerUnit: number,
): Promise<void> {
  const total = files.reduce((sum, file) => sum + file.size, 0);
  if (total > MAX_UPLOAD_BYTES) {
    throw new Explained(
      `The files have ${Math.round(total / 1e6)} MB together; at most ${Math.round(MAX_UPLOAD_BYTES / 1e6)} MB are taken at once.`,
      files
        .map((file) => file.name)
        .slice(0, 3)
        .join(", "),
      "Send fewer files at a time, or use the command line for very large ones.",
    );
  }
  const form = new FormData();
  for (const file of files) form.append("files", file, file.name);
  form.append("metres_per_unit", String(metresPerUnit));
  await send(`/api/projects/${project}/files/`, form);
}

/** Send a form with files; what is wrong is explained. */
export async function send<T = void>(address: string, form: FormData): Promise<T> {
  const response = await reach(address, { method: "POST", body: form });
  if (!response.ok) throw explained(await response.json().catch(() => null), response.status);
  return (response.status === 204 ? undefined : await response.json().catch(() => undefined)) as T;
}
