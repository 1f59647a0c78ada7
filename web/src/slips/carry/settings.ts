import type { CarryRequest, ChannelEdit, Profile } from "../../api/client";
import { useKept } from "../../state";

export const FORMS = { png: "PNG, nothing lost", webp: "WebP, nothing lost", jpeg: "JPEG, small" } as const;
export const GOOD_NAME = /^\w[\w .-]{0,80}$/;
export const NAMING = "{name}_{role}";
type Kept = { size: number; normal: number; filter: CarryRequest["filter"]; name: string; naming: string; form: CarryRequest["form"]; bits: CarryRequest["bits"]; profile: string; whole: boolean; joint: boolean };

/** How pictures are carried over, as it was chosen last. */
export const USUAL: Kept = { size: 0, normal: 0, filter: "bilinear", name: "atlas", naming: NAMING, form: "png", bits: 0, profile: "", whole: false, joint: false };

export function useCarrySettings() {
  const [kept, keep] = useKept<Partial<Kept>>("carry over", {});
  const settings = { ...USUAL, ...kept };
  return { settings, change: (some: Partial<Kept>) => keep({ ...kept, ...some }) };
}

/** What the server is asked. */
export function requestOf(settings: Kept, preview: boolean, profiles: Profile[], channels: ChannelEdit[]): Omit<CarryRequest, "change"> {
  const { normal, profile, ...rest } = settings;
  const found = profiles.find((one) => one.name === profile);
  return { ...rest, preview, channels, roles: normal ? { normal } : {}, profile: found ? withoutId(found) : null };
}

/** A profile as it is saved. */
export function withoutId({ name, naming, largest, picture }: Profile) {
  return { name, naming, largest, picture };
}

/** Whether a pattern tells roles apart and gives names of files. */
export const goodPattern = (pattern: string): boolean => pattern.includes("{role}") && /^[\w .-]{0,80}$/.test(pattern.replaceAll(/\{(name|role|tile)\}/g, ""));
