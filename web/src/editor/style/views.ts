import type { Band } from "../density/logScale";
import { densityColour, type Rgb } from "./islandStyle";

/** Ways to look at the islands, in the order in which they are offered. */
export const VIEWS = [
  "object",
  "density",
  "stretch",
  "visibility",
  "facing",
  "overlap",
  "material",
  "tile",
  "checker",
  "own image",
  "plain",
] as const;
export type ViewAs = (typeof VIEWS)[number];

export const TEAL: Rgb = [58, 143, 143];
export const PAPER: Rgb = [240, 234, 220];
export const OCHRE: Rgb = [196, 138, 42];
const NONE: Rgb = [200, 200, 200];

/** What is known of one island, for its colour. */
export type Seen = {
  density: number | null;
  /** Density as it would be with a weight of 1. */
  weighted: number | null;
  mirrored: boolean;
  overlapping: boolean;
  stacked: boolean;
  material: number;
  tile: number;
  stretch: number | null;
  /** Part of the island that can be seen from anywhere; null where nobody has looked yet. */
  seen: number | null;
  own: Rgb;
};

/** Colour of an island for a way of looking; `house` in px/m, `most` the L2 stretch that has full colour. */
export function viewColour(view: ViewAs, seen: Seen, house: number, band: Band, most: number): Rgb {
  switch (view) {
    case "density":
      return densityColour(seen.weighted, house, band);
    case "stretch":
      return seen.stretch === null
        ? NONE
        : mix(PAPER, OCHRE, (seen.stretch - 1) / Math.max(most - 1, 1e-6));
    case "visibility":
      return seen.seen === null ? NONE : mix(OCHRE, mix(PAPER, TEAL, 0.35), seen.seen);
    case "facing":
      return seen.mirrored ? OCHRE : mix(PAPER, TEAL, 0.45);
    case "overlap":
      return seen.stacked ? mix(PAPER, TEAL, 0.6) : seen.overlapping ? OCHRE : PAPER;
    case "material":
      return seen.material < 0 ? NONE : fabric(seen.material);
    case "tile":
      return seen.tile < 0 ? NONE : fabric(seen.tile);
    case "plain":
      return [226, 218, 200];
    default:
      return seen.own;
  }
}

/** What is printed on an island; empty for its sewing label. */
export function viewLabel(
  view: ViewAs,
  seen: Seen,
  density: (value: number | null) => string,
): string {
  if (view === "density") return density(seen.density);
  if (view === "stretch") return seen.stretch === null ? "–" : seen.stretch.toFixed(2);
  if (view === "visibility") return seen.seen === null ? "–" : `${Math.round(100 * seen.seen)} %`;
  return "";
}

export function mix(from: Rgb, to: Rgb, t: number): Rgb {
  const part = Math.min(1, Math.max(0, t));
  return [0, 1, 2].map((k) => Math.round(from[k] + (to[k] - from[k]) * part)) as Rgb;
}

/** Muted colours of one lightness and chroma, far apart in hue: OKLCH 0.78 0.085, as the objects have. */
export function fabric(index: number): Rgb {
  const hue = ((250 + index * 137.50776405) % 360) * (Math.PI / 180);
  const [a, b] = [0.085 * Math.cos(hue), 0.085 * Math.sin(hue)];
  const l = (0.78 + 0.3963377774 * a + 0.2158037573 * b) ** 3;
  const m = (0.78 - 0.1055613458 * a - 0.0638541728 * b) ** 3;
  const s = (0.78 - 0.0894841775 * a - 1.291485548 * b) ** 3;
  const linear = [
    4.0767416621 * l - 3.3077115913 * m + 0.2309699292 * s,
    -1.2684380046 * l + 2.6097574011 * m - 0.3413193965 * s,
    -0.0041960863 * l - 0.7034186147 * m + 1.707614701 * s,
  ];
  return linear.map((v) =>
    Math.round(255 * (v <= 0.0031308 ? 12.92 * v : 1.055 * v ** (1 / 2.4) - 0.055)),
  ) as Rgb;
}

export const css = ([r, g, b]: Rgb): string => `rgb(${r} ${g} ${b})`;
