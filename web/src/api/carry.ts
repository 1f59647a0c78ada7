import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, ask, type Atlas, type Job, type Profile, type Shelf } from "./client";
import { tellError } from "../state";

/** Materials of an atlas, and what merging their pictures at a size would change. */
export function useShelf(atlas: Atlas, size: number) {
  return useQuery<Shelf>({
    queryKey: ["shelf", atlas.id, atlas.head.id, size],
    enabled: atlas.objects > 0,
    placeholderData: (previous) => previous,
    queryFn: () => ask(api.GET("/api/atlases/{atlas_id}/materials/", { params: { path: { atlas_id: atlas.id }, query: { size } } })),
  });
}

/** What a job of carrying over gave. */
export type Carried = {
  revision: number;
  preview: boolean;
  names: string[];
  notes: string[];
  file?: string;
  report: {
    maps: Pair; materials: Pair; draw_calls: Pair; texels: Pair; coverage: number;
    memory: { before: Record<string, number>; after: Record<string, number> };
    objects: { name: string; kept: number | null; loss: Record<string, number> }[];
    pictures: { name: string; role: string; tile: number; set: string; revision: number; width: number; height: number; channels: number; bits: number }[];
    profile: { name: string; tile: number; width: number; height: number }[];
    seconds: Record<string, number>;
  };
};
type Pair = { before: number; after: number };

/** The last carrying over of an atlas that is done. */
export function lastCarried(jobs: Job[], atlas: Atlas): { job: Job; carried: Carried } | null {
  const job = jobs.find((one) => one.kind === "carry over" && one.state === "done" && one.atlas === atlas.id);
  return job ? { job, carried: job.result as unknown as Carried } : null;
}

/** What a picture of some role shows, for people. */
export const roleName = (role: string): string => ROLES[role] ?? role.replace(/([A-Z])/g, " $1").toLowerCase();

const ROLES: Record<string, string> = {
  baseColor: "colour", metallicRoughness: "rough + metal", occlusionRoughnessMetallic: "occlusion, rough + metal", occlusion: "occlusion", normal: "normal", emissive: "emission",
};

/** Role names of slots, for people. */
export const slotName = (slot: string): string => roleName(slot.replace(/^.*\./, "").replace(/Texture$/, ""));

/** Width of an atlas's first sheet, px. */
export const sheetWidth = (atlas: Atlas): number => (atlas.head.tiles as [number, number, number][])[0]?.[1] ?? 2048;

/** What engines want their pictures like: profiles that are always there, and those of a project. */
export function useProfiles(projectId: number) {
  const client = useQueryClient();
  const path = { path: { project_id: projectId } };
  const changed = () => client.invalidateQueries({ queryKey: ["profiles", projectId] });
  const found = useQuery({ queryKey: ["profiles", projectId], queryFn: () => ask(api.GET("/api/projects/{project_id}/profiles/", { params: path })) }).data;
  return {
    profiles: found?.profiles ?? [],
    sources: found?.sources ?? [],
    save: useMutation({ mutationFn: (profile: Omit<Profile, "id">) => ask(api.POST("/api/projects/{project_id}/profiles/", { params: path, body: { profile } })), onError: tellError, onSuccess: changed }),
    drop: useMutation({ mutationFn: async (id: number) => { await api.DELETE("/api/profiles/{profile_id}/", { params: { path: { profile_id: id } } }); }, onSettled: changed }),
  };
}
