import { useMutation, useQuery, useQueryClient, type QueryClient } from "@tanstack/react-query";
import {
  api,
  ask,
  send,
  type Atlas,
  type Job,
  type Profile,
  type Project,
  type Shelf,
} from "./client";
import { sendWhenBack } from "./connection";
import { tellError, useUi } from "../state";

/** Materials of an atlas, and what merging their images at a size would change. */
export function useShelf(atlas: Atlas, size: number, wanted = true) {
  return useQuery<Shelf>({
    queryKey: ["shelf", atlas.id, atlas.head.id, size],
    enabled: wanted && atlas.objects > 0,
    placeholderData: (previous) => previous,
    queryFn: () =>
      ask(
        api.GET("/api/atlases/{atlas_id}/materials/", {
          params: { path: { atlas_id: atlas.id }, query: { size } },
        }),
      ),
  });
}

/** What merging textures gave. */
export type MergedTextures = {
  revision: number;
  preview: boolean;
  names: string[];
  notes: string[];
  file?: string;
  report: {
    maps: Pair;
    materials: Pair;
    draw_calls: Pair;
    texels: Pair;
    coverage: number;
    memory: { before: Record<string, number>; after: Record<string, number> };
    objects: { name: string; kept: number | null; loss: Record<string, number> }[];
    textures: {
      name: string;
      role: string;
      tile: number;
      set: string;
      revision: number;
      width: number;
      height: number;
      channels: number;
      bits: number;
    }[];
    difference: { set: string; revision: number; median: number; high: number; most: number }[];
    profile: { name: string; tile: number; width: number; height: number }[];
    seconds: Record<string, number>;
  };
};
type Pair = { before: number; after: number };

/** The last merging over of an atlas that is done. */
export function lastMerged(jobs: Job[], atlas: Atlas): { job: Job; merged: MergedTextures } | null {
  const job = jobs.find(
    (one) => one.kind === "merge" && one.state === "done" && one.atlas === atlas.id,
  );
  return job ? { job, merged: job.result as unknown as MergedTextures } : null;
}

/** What an image of some role shows, for people. */
export const roleName = (role: string): string =>
  ROLES[role] ?? role.replace(/([A-Z])/g, " $1").toLowerCase();

const ROLES: Record<string, string> = {
  baseColor: "colour",
  metallicRoughness: "rough + metal",
  occlusionRoughnessMetallic: "occlusion, rough + metal",
  occlusion: "occlusion",
  normal: "normal",
  emissive: "emission",
};

/** Role names of slots, for people. */
export const slotName = (slot: string): string =>
  roleName(slot.replace(/^.*\./, "").replace(/Texture$/, ""));

/** Width of an atlas's first sheet, px. */
export const sheetWidth = (atlas: Atlas): number =>
  (atlas.head.tiles as [number, number, number][])[0]?.[1] ?? 2048;

/** What engines want their images like: profiles that are always there, and those of a project. */
export function useProfiles(projectId: number) {
  const client = useQueryClient();
  const path = { path: { project_id: projectId } };
  const changed = () => client.invalidateQueries({ queryKey: ["profiles", projectId] });
  const found = useQuery({
    queryKey: ["profiles", projectId],
    queryFn: () => ask(api.GET("/api/projects/{project_id}/profiles/", { params: path })),
  }).data;
  return {
    profiles: found?.profiles ?? [],
    sources: found?.sources ?? [],
    save: useMutation({
      mutationFn: (profile: Omit<Profile, "id">) =>
        ask(api.POST("/api/projects/{project_id}/profiles/", { params: path, body: { profile } })),
      onError: tellError,
      onSuccess: changed,
    }),
    drop: useMutation({
      mutationFn: async (id: number) => {
        await api.DELETE("/api/profiles/{profile_id}/", { params: { path: { profile_id: id } } });
      },
      onSettled: changed,
    }),
  };
}

/** Which textures a hand off would have: merged ones, or such as are painted for another layout. */
export function useHandOffTextures(project: Project, jobs: Job[], edits: string[]) {
  const merges = jobs.filter((job) => job.kind === "merge" && job.state === "done").length;
  return useQuery({
    queryKey: ["hand-off", project.id, project.change, merges, edits],
    queryFn: () =>
      ask(
        api.GET("/api/projects/{project_id}/hand-off/", {
          params: {
            path: { project_id: project.id },
            query: { edits: JSON.stringify(edits) },
          },
        }),
      ),
    staleTime: 0,
  });
}

const IMAGE = /\.(png|jpe?g|webp|tiff?|tga|bmp|exr|hdr)$/i;
export const isImage = (name: string): boolean => IMAGE.test(name);

/** Roles that an image can be given. */
export const GIVEN_ROLES: Record<string, string> = {
  baseColor: "colour",
  normal: "normal",
  normalGreenDown: "normal, green down",
  roughness: "roughness",
  metal: "metal",
  metallicRoughness: "rough + metal",
  occlusionRoughnessMetallic: "occlusion, rough + metal",
  occlusion: "occlusion",
  emissive: "emission",
  opacity: "opacity",
  height: "height",
  curvature: "curvature",
  objectNormal: "normal in the object's space",
  id: "ids",
};

/** Drop images on the shelf: they go where their names say. */
export async function giveTextures(
  atlas: number,
  files: File[],
  client: QueryClient,
): Promise<void> {
  try {
    const form = new FormData();
    files.forEach((file) => form.append("files", file, file.name));
    type Given = {
      given: { name: string; material: string; role: string }[];
      lost: string[];
    };
    // The same images given twice are the same.
    const { given, lost } = await sendWhenBack(() =>
      send<Given>(`/api/atlases/${atlas}/given-textures/`, form),
    );
    const where = given
      .slice(0, 3)
      .map((one) =>
        one.material
          ? `${one.name} as ${slotName(one.role)} of ${one.material}`
          : `${one.name} is there now`,
      )
      .join(", ");
    useUi.getState().tell({
      kind: "done",
      what: `${given.length} ${given.length === 1 ? "texture" : "textures"} given: ${where}${given.length > 3 ? " …" : ""}.`,
      fix: lost.length
        ? `${lost.join(", ")}: no material has such a name; drop it on one.`
        : undefined,
    });
  } catch (error) {
    tellError(error);
  }
  await client.invalidateQueries({ queryKey: ["shelf"] });
}

/** Give one material an image, let one show something else, or take it away. */
export function useMaterial(source: number, material: number) {
  const client = useQueryClient();
  const path = { source_id: source, material };
  const changed = () => client.invalidateQueries({ queryKey: ["shelf"] });
  return {
    give: async (file: File, role = "") => {
      const form = new FormData();
      form.append("file", file, file.name);
      if (role) form.append("role", role);
      const address = `/api/sources/${source}/materials/${material}/texture/`;
      await sendWhenBack(() => send(address, form)).catch(tellError);
      await changed();
    },
    rename: useMutation({
      mutationFn: async (body: { role: string; to: string }) => {
        const { error } = await api.PATCH(
          "/api/sources/{source_id}/materials/{material}/texture/",
          { params: { path }, body: body as never },
        );
        if (error) throw error;
      },
      onError: tellError,
      onSuccess: changed,
    }),
  };
}

/** Take back what was given to the materials of an atlas. */
export function useTakeBack(atlas: number) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async () => {
      const { error } = await api.DELETE("/api/atlases/{atlas_id}/given-textures/", {
        params: { path: { atlas_id: atlas } },
      });
      if (error) throw error;
    },
    onError: tellError,
    onSuccess: () => client.invalidateQueries({ queryKey: ["shelf"] }),
  });
}
