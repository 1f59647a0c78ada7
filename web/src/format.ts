import { bandOf, type House } from "./editor/density/logScale";

/** Numbers as the interface writes them: grouped, with a fixed number of digits, never without their unit nearby. */
const grouped = new Intl.NumberFormat("en-GB", { maximumFractionDigits: 0 });

export const whole = (value: number) => grouped.format(Math.round(value));

/** A number of things: 1 island, 2 islands. */
export const counted = (count: number, one: string, many = `${one}s`) =>
  `${whole(count)} ${count === 1 ? one : many}`;

/** Units that a project may show densities in, as px per metre over it. */
export const DENSITY_UNITS = { "px/m": 1, "px/cm": 100, "px/in": 1 / 0.0254 } as const;
export type DensityUnit = keyof typeof DENSITY_UNITS;
let shownIn: DensityUnit = "px/m";

/** The unit that densities are shown in from now on. */
export const showDensitiesIn = (unit: DensityUnit) => {
  shownIn = unit;
};
export const densityUnit = () => shownIn;

/** A density in px per metre as a number of the unit that is shown, and back. */
export const inDensityUnit = (perMetre: number) =>
  Number((perMetre / DENSITY_UNITS[shownIn]).toPrecision(6));
export const perMetre = (shown: number) => shown * DENSITY_UNITS[shownIn];

/** The number of a density in px per metre; its unit stands beside it. */
export const density = (given: number | null | undefined) => {
  if (given === null || given === undefined) return "–";
  const value = inDensityUnit(given);
  return value >= 100 || Number.isInteger(value) ? whole(value) : value.toPrecision(3);
};

/** The same with its unit. */
export const densityIn = (value: number | null | undefined) => `${density(value)} ${shownIn}`;

/** The house band in words. */
export function houseBand(house: House): string {
  const { least, most } = house;
  const [low, high] = bandOf(house).map(density);
  if (least !== null && most !== null) return `density band ${low} to ${high} ${shownIn}`;
  const words = `house density ${densityIn(house.density)}`;
  if (least !== null) return `${words}, at least ${low}`;
  if (most !== null) return `${words}, at most ${high}`;
  return `${words} ± ${Math.round(100 * house.tolerance)} %`;
}

export const percent = (value: number) => `${(100 * value).toFixed(1)}`;

export const pixels = (value: number | null | undefined) =>
  value === null || value === undefined ? "–" : value.toFixed(1);

const LENGTHS = [
  ["km", 1000],
  ["m", 1],
  ["cm", 0.01],
  ["mm", 0.001],
] as const;

const unitOf = (metres: number) => LENGTHS.find(([, one]) => metres >= one) ?? LENGTHS[3];

/** A length in the unit that suits it. */
export function length(metres: number): string {
  const [name, one] = unitOf(metres);
  return `${Number((metres / one).toPrecision(3))} ${name}`;
}

/** Length x width x height, given in metres, in the unit that suits the longest. */
export function size(metres: readonly number[] | null): string {
  if (!metres) return "–";
  const [name, unit] = unitOf(Math.max(...metres));
  return `${metres.map((one) => Number((one / unit).toPrecision(3))).join(" × ")} ${name}`;
}

/** The name of an action as people read it. */
export const action = (name: string) => name.replaceAll("-", " ");

/** Padding in px that is common for tiles, by their shorter edges; the same as `usual_padding` of the core. */
export const usualPadding = (...edges: number[]) =>
  Math.min(Math.max(2, Math.round(Math.max(...edges) / 128)), Math.floor(Math.min(...edges) / 4));

/** Mip level down to which a gap keeps one texel, and the size of that level. */
export function lastMip(gap: number, size: number): { level: number; size: number } | null {
  if (gap < 1) return null;
  const level = Math.floor(Math.log2(gap));
  return { level, size: Math.max(1, Math.floor(size / 2 ** level)) };
}

/** Megabytes of an 8-bit RGBA image with its mip chain (4/3 of level 0). */
export const rawMegabytes = (width: number, height: number) =>
  ((width * height * 4 * 4) / 3 / 1e6).toFixed(1);

/** Width : height, with 1 for the shorter edge. */
export function asRatio(proportion: number): string {
  const round = (n: number) => String(Number(n.toPrecision(4)));
  return proportion >= 1 ? `${round(proportion)} : 1` : `1 : ${round(1 / proportion)}`;
}

/** A typed proportion: 853:1461, 853x1461, 2 or 1/2; null when it is none. */
export function fromRatio(text: string): number | null {
  const parts = text.split(/[:x/×]/).map((part) => Number(part.trim().replace(",", ".")));
  const value = parts.length === 1 ? parts[0] : parts.length === 2 ? parts[0] / parts[1] : NaN;
  return value >= 1 / 64 && value <= 64 ? value : null;
}

const DAY = { day: "numeric", month: "short", year: "numeric" } as const;
const TIME = { hour: "2-digit", minute: "2-digit" } as const;

/** A day: 1 Dec 2026. */
export const day = (at: string | number) => new Date(at).toLocaleDateString("en-GB", DAY);

/** A moment: the time for today's, else the day too. */
export function moment(at: string | number): string {
  const when = new Date(at);
  const time = when.toLocaleTimeString("en-GB", TIME);
  return when.toDateString() === new Date().toDateString() ? time : `${day(at)}, ${time}`;
}
