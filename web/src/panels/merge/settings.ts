import type { MergeRequest, Profile } from "../../api/client";
import { useKept } from "../../state";

export const FORMATS = {
  png: "PNG, nothing lost",
  webp: "WebP, nothing lost",
  jpeg: "JPEG, small",
} as const;
export const GOOD_NAME = /^\w[\w .-]{0,80}$/;
const NAMING = "{name}_{role}";
type Kept = {
  size: number;
  normal: number;
  filter: MergeRequest["filter"];
  name: string;
  naming: string;
  format: MergeRequest["format"];
  bits: MergeRequest["bits"];
  profile: string;
  whole: boolean;
  joint: boolean;
};

/** Settings of merging that the panel shows by itself, or that are no question once a layout is arranged. */
export const MERGE_SHOWN = [
  "layout",
  "density",
  "padding",
  "margin",
  "most_tiles",
  "effort",
  "seed",
  "width",
  "roles",
  "filter",
  "name",
  "naming",
  "format",
  "bits",
  "profile",
  "joint",
  "edits",
  "preview",
  "most_repeats",
];

/** How images are merged over, as it was chosen last. */
export const USUAL: Kept = {
  size: 0,
  normal: 0,
  filter: "bilinear",
  name: "atlas",
  naming: NAMING,
  format: "png",
  bits: 0,
  profile: "",
  whole: false,
  joint: false,
};

export function useMergeSettings() {
  const [kept, keep] = useKept<Partial<Kept>>("merge", {});
  const settings = { ...USUAL, ...kept };
  return { settings, change: (some: Partial<Kept>) => keep({ ...kept, ...some }) };
}

/** What the server is asked. */
export function requestOf(
  settings: Kept,
  preview: boolean,
  profiles: Profile[],
  edits: string[],
): Omit<MergeRequest, "change"> {
  const { size, normal, profile, ...rest } = settings;
  const found = profiles.find((one) => one.name === profile);
  return {
    ...rest,
    width: size || null,
    preview,
    edits,
    roles: normal ? { normal } : {},
    profile: found ? withoutId(found) : null,
  };
}

/** A profile as it is saved. */
export function withoutId({ name, naming, largest, texture }: Profile) {
  return { name, naming, largest, texture };
}

/** Whether a pattern tells roles apart and gives names of files. */
export const goodPattern = (pattern: string): boolean =>
  pattern.includes("{role}") &&
  /^[\w .-]{0,80}$/.test(pattern.replaceAll(/\{(name|role|tile)\}/g, ""));
