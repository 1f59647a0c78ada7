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

/** Number of the tile that a file's name ends with, as in rust.1002.png; null for none. */
export function tileOfName(name: string): number | null {
  const found = /[._-](1[01]\d\d)\.\w+$/.exec(name);
  const number = found ? Number(found[1]) : 0;
  return number >= 1001 && number <= 1100 ? number : null;
}

/** Files of a numbered set by their tiles, and those whose tile there is not; null for no such set. */
export function numberedSet<File extends { name: string }>(
  files: readonly File[],
  tiles: readonly { number: number }[],
): { laid: [number, File][]; rest: File[] } | null {
  const numbers = files.map((file) => tileOfName(file.name));
  if (numbers.some((number) => number === null) || new Set(numbers).size < files.length)
    return null;
  const there = new Set(tiles.map((tile) => tile.number));
  const laid = files.flatMap((file, k): [number, File][] =>
    there.has(numbers[k]!) ? [[numbers[k]!, file]] : [],
  );
  return { laid, rest: files.filter((_, k) => !there.has(numbers[k]!)) };
}
