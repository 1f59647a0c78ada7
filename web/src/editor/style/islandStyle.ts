import { againstBand, type Band } from "../density/logScale";

export type Rgb = [number, number, number];

export function hexToRgb(hex: string): Rgb {
  const value = parseInt(hex.slice(1), 16);
  return [(value >> 16) & 255, (value >> 8) & 255, value & 255];
}

const TEAL: Rgb = [58, 143, 143];
const PAPER: Rgb = [240, 234, 220];
const OCHRE: Rgb = [196, 138, 42];

/** Teal below the house density, paper at it, ochre above; full colour one octave away. */
export function densityColour(density: number | null, house: number, band: Band): Rgb {
  if (density === null || !(density > 0)) return [200, 200, 200];
  if (againstBand(density, band) === 0) return PAPER;
  const octaves = Math.max(-1, Math.min(1, Math.log2(density / house)));
  const end = octaves < 0 ? TEAL : OCHRE;
  const t = 0.25 + 0.75 * Math.abs(octaves);
  return [0, 1, 2].map((k) => Math.round(PAPER[k] + (end[k] - PAPER[k]) * t)) as Rgb;
}

/** A short sewing label for an island, from its object's name and its number within it. */
export function islandCode(objectName: string, number: number): string {
  const letters =
    objectName
      .replace(/[^\p{L}\p{N}]/gu, "")
      .slice(0, 2)
      .toUpperCase() || "IS";
  return `${letters}·${number}`;
}
