export type TileRow = {
  number: number;
  width: number;
  height: number;
  label: string;
  frozen: boolean;
};

/** Column and row of a tile: its number is 1001 + column + 10 x row. */
export function tileCorner(number: number): [number, number] {
  return [(number - 1001) % 10, Math.floor((number - 1001) / 10)];
}

/** The next free tile number, along the row and then up. */
export function nextTile(taken: number[]): number {
  for (let number = 1001; number <= 1100; number++) if (!taken.includes(number)) return number;
  return 1100;
}
