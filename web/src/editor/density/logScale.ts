/** One log scale shared by all rows of the density strip. */
export type LogScale = { low: number; high: number; width: number };

/** A scale of whole octaves that shows all values and the house density with room at the sides. */
export function scaleFor(values: (number | null)[], house: number, width: number): LogScale {
  let low = house / 2;
  let high = house * 2;
  for (const value of values) {
    if (value !== null && value > 0) {
      low = Math.min(low, value);
      high = Math.max(high, value);
    }
  }
  return {
    low: 2 ** Math.floor(Math.log2(low) - 0.15),
    high: 2 ** Math.ceil(Math.log2(high) + 0.15),
    width,
  };
}

export function toX(scale: LogScale, density: number): number {
  return (Math.log(density / scale.low) / Math.log(scale.high / scale.low)) * scale.width;
}

export function toDensity(scale: LogScale, x: number): number {
  return scale.low * (scale.high / scale.low) ** (x / scale.width);
}

/** Octaves on the scale; where they are nearer than `least` px only each second one, each fourth and so on. */
export function ticks(scale: LogScale, least = 0): number[] {
  const out: number[] = [];
  const octave = toX(scale, 2 * scale.low);
  let step = 2;
  while (least && octave * Math.log2(step) < least && step < 2 ** 16) step = step ** 2;
  for (let value = scale.low; value <= scale.high * 1.0001; value *= step) out.push(value);
  return out;
}

/** A house density in px/m, its tolerance as a part of it, and ends of the band that are said themselves. */
export type House = {
  density: number;
  tolerance: number;
  least: number | null;
  most: number | null;
  /** That densities are shown in. */
  unit?: string;
};
/** Lowest and highest density that count as the house density. */
export type Band = readonly [number, number];

/** What is said of the ends goes before what follows from the tolerance. */
export const bandOf = ({ density, tolerance, least, most }: House): Band => [
  least ?? Math.min(density / (1 + tolerance), most ?? Infinity),
  most ?? Math.max(density * (1 + tolerance), least ?? 0),
];

/** -1 below the house band, 0 inside, 1 above. */
export function againstBand(density: number, [low, high]: Band): -1 | 0 | 1 {
  if (density < low - 1e-9) return -1;
  return density > high + 1e-9 ? 1 : 0;
}
