/** A painted island and the texels it needs, as the server tells it. */
export type Needed = {
  number: number;
  painted: number;
  needed: number;
  role: string;
  weight: number;
  area_m2: number;
};

/** What looking at the textures of an atlas gave. */
export type Needs = {
  islands: Needed[];
  painted_texels: number;
  even_texels: number;
  needed_texels: number;
  saved: number;
};

/** Weights that are proposed and not given yet, the largest gain of texels first. */
export function toGive(needs: Needs, weight: (island: number) => number): Needed[] {
  const gain = (one: Needed) => (weight(one.number) ** 2 - one.weight ** 2) * one.area_m2;
  return needs.islands
    .filter((one) => Math.abs(one.weight - weight(one.number)) > 1e-3 * one.weight)
    .sort((a, b) => gain(b) - gain(a));
}
