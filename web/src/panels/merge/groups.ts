import type { PlanObject } from "../../api/client";
import type { Group } from "../../api/share";

export const SIZES = [512, 1024, 2048, 4096, 8192];
/** What a sheet holds of its texels, for the first choice of a size. */
const FULL = 0.7;

/** The smallest size that keeps all painted texels, or the largest there is. */
export const sizeFor = (painted: number): number =>
  SIZES.find((size) => size * size * FULL >= painted) ?? SIZES[SIZES.length - 1];

/** Objects as they lie now. */
export function asNow(
  objects: PlanObject[],
  atlases: { id: number; name: string; size: number }[],
): Group[] {
  return atlases.map(({ id, name, size }) => ({
    key: `a${id}`,
    atlas: id,
    name,
    size,
    objects: objects.filter((one) => one.atlas === id).map((one) => one.id),
  }));
}

/** Objects by some word of theirs, a group for each; the largest group stays in the first atlas. */
export function by(
  objects: PlanObject[],
  first: Group,
  word: (one: PlanObject) => string,
): Group[] {
  const sets = new Map<string, PlanObject[]>();
  for (const one of objects) sets.set(word(one), [...(sets.get(word(one)) ?? []), one]);
  return [...sets]
    .sort((a, b) => b[1].length - a[1].length)
    .map(([name, own], k) => ({
      ...(k === 0 ? first : { key: `n ${name}`, atlas: 0, name }),
      size: sizeFor(total(own)),
      objects: own.map((one) => one.id),
    }));
}

/** What objects are made of, as the name of an atlas. */
export const kindOf = (one: PlanObject): string =>
  title(one.kinds.length > 1 ? "Mixed" : (one.kinds[0] ?? "opaque"));

/** How many texels objects were painted with, as the name of an atlas. */
export const finenessOf = (one: PlanObject): string =>
  one.painted < 1
    ? "Plain colours"
    : one.painted > 512 * 512
      ? "Painted finely"
      : "Painted coarsely";

/** Groups with an object in another one. */
export function moved(groups: Group[], object: number, to: string): Group[] {
  return groups.map((group) => {
    const without = group.objects.filter((id) => id !== object);
    if (group.key === to)
      return group.objects.includes(object)
        ? group
        : { ...group, objects: [...group.objects, object] };
    return without.length === group.objects.length ? group : { ...group, objects: without };
  });
}

/** Part of the painted density that a sheet keeps; all of it at most. */
export function kept(
  painted: number,
  size: number,
  coverage: number | null | undefined,
): number | null {
  return coverage && painted > 0
    ? Math.min(1, Math.sqrt((coverage * size * size) / painted))
    : null;
}

const total = (objects: PlanObject[]): number => objects.reduce((sum, one) => sum + one.painted, 0);
const title = (text: string): string => text[0].toUpperCase() + text.slice(1);
