export type TileRow = {
  number: number;
  width: number;
  height: number;
  label: string;
  frozen: boolean;
};

/** Columns of a grid of tiles, and its most rows. */
export const COLUMNS = 10;

/** Column and row of a tile: its number is 1001 + column + 10 x row. */
export function tileCorner(number: number): [number, number] {
  return [(number - 1001) % COLUMNS, Math.floor((number - 1001) / COLUMNS)];
}

/** The next free tile number, along the row and then up. */
export function nextTile(taken: number[]): number {
  for (let number = 1001; number <= 1100; number++) if (!taken.includes(number)) return number;
  return 1100;
}

/** The tile in a column and a row, both from 0. */
export const tileNumber = (column: number, row: number) => 1001 + column + COLUMNS * row;

/**
 * A full grid of tiles, `size` px each. Tiles that were there before keep their freeze, and their
 * label where no new one is given: “{tile}” in it stands for the number.
 */
export function gridOf(
  before: readonly TileRow[],
  columns: number,
  rows: number,
  size: number,
  label = "",
): TileRow[] {
  const known = new Map(before.map((tile) => [tile.number, tile]));
  return Array.from({ length: columns * rows }, (_, k) => {
    const number = tileNumber(k % columns, Math.floor(k / columns));
    const old = known.get(number);
    return {
      number,
      width: size,
      height: size,
      label: label.trim() ? label.trim().replaceAll("{tile}", `${number}`) : (old?.label ?? ""),
      frozen: old?.frozen ?? false,
    };
  });
}
