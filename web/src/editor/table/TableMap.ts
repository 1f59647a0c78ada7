import type { Bounds } from "../affine/affine";
import { compose, inverse, type Transform } from "../geometry/transform";
import { COLUMNS, tileCorner, tileNumber, type TileRow } from "./tiles";

type Pair = [number, number];

/** Where UVs lie on the table: every sheet has the proportions of its own tile, its longer edge being 1. */
export class TableMap {
  /** From one sheet to the next, across and up. */
  readonly pitch: Pair;
  private byNumber: Map<number, TileRow>;
  /** Of each tile: width and height on the table, column and row. */
  private cell: Map<number, [number, number, number, number]>;
  private outside: [number, number, number, number];

  constructor(readonly tiles: TileRow[]) {
    this.byNumber = new Map(tiles.map((tile) => [tile.number, tile]));
    this.cell = new Map(
      tiles.map((tile) => [tile.number, [...proportions(tile), ...tileCorner(tile.number)]]),
    );
    this.outside = [...proportions(tiles[0]), 0, 0];
    const shapes = tiles.map(proportions);
    this.pitch = [Math.max(...shapes.map(([w]) => w)), Math.max(...shapes.map(([, h]) => h))];
  }

  /** Proportions of the first tile, which also hold outside all tiles. */
  get first(): Pair {
    return [this.outside[0], this.outside[1]];
  }

  /** The sheet of a tile. */
  sheet(number: number): Bounds {
    const [column, row] = tileCorner(number);
    const [minX, minY] = this.place(column, row, number);
    const [maxX, maxY] = this.place(column + 1, row + 1, number);
    return { minX, minY, maxX, maxY };
  }

  /** Table position of a UV in a tile; of one outside all tiles without its number. */
  place(u: number, v: number, number = 0): Pair {
    const [w, h, column, row] = this.cell.get(number) ?? this.outside;
    return [(u - column) * w + column * this.pitch[0], (v - row) * h + row * this.pitch[1]];
  }

  /** Number of the tile that the middle of an island lies in, 0 for none. */
  homeOf(u: number, v: number): number {
    const column = Math.floor(u);
    const row = Math.floor(v);
    const number = tileNumber(column, row);
    return column >= 0 && column < COLUMNS && row >= 0 && this.byNumber.has(number) ? number : 0;
  }

  /** The tile whose sheet holds a point of the table, 0 for none. */
  tileAt(x: number, y: number): number {
    const found = this.tiles.find((tile) => {
      const s = this.sheet(tile.number);
      return x >= s.minX && x < s.maxX && y >= s.minY && y < s.maxY;
    });
    return found?.number ?? 0;
  }

  /** From UVs in a tile to the table; of those outside all tiles without its number. */
  fromUV(number: number): Transform {
    const [w, h] = this.cell.get(number) ?? this.outside;
    const [x, y] = this.place(0, 0, number);
    return [w, 0, x, 0, h, y];
  }

  /** px of a tile in one unit of the table, its longer edge; of the first one outside all. */
  pxPerUnit(number: number): number {
    const { width, height } = this.byNumber.get(number) ?? this.tiles[0];
    return Math.max(width, height);
  }

  /** px from the lower left corner of a tile's sheet; from that of the first one outside all. */
  inPx(number: number, x: number, y: number): Pair {
    const { minX, minY } = this.sheet(number || this.tiles[0].number);
    const px = this.pxPerUnit(number);
    return [(x - minX) * px, (y - minY) * px];
  }

  /** What a transform on the table does to UVs of a tile, for what lies in another one (or none) after it. */
  inUV(by: Transform, from: number, to: number): Transform {
    return compose(inverse(this.fromUV(to)), compose(by, this.fromUV(from)));
  }

  /** Width and height in px, column and row of the tile that each island lies in, as the shaders take them. */
  cells(homes: Int32Array): Float32Array {
    const out = new Float32Array(homes.length * 4);
    homes.forEach((number, i) => out.set(this.cellOf(number), i * 4));
    return out;
  }

  /** The same of one tile; of the first one, in the corner, for what lies in none. */
  cellOf(number: number): [number, number, number, number] {
    const tile = this.byNumber.get(number);
    const { width, height } = tile ?? this.tiles[0];
    const [column, row] = tile ? tileCorner(number) : [0, 0];
    return [width, height, column, row];
  }
}

function proportions({ width, height }: TileRow): Pair {
  const longest = Math.max(width, height);
  return [width / longest, height / longest];
}
