import { applyX, applyY, type Bounds } from "../affine/affine";
import type { BaseLayout } from "../layout/BaseLayout";
import { tileCorner, type TileRow } from "./tiles";

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
    this.cell = new Map(tiles.map((tile) => [tile.number, [...proportions(tile), ...tileCorner(tile.number)]]));
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

  /** Number of the tile that each island's middle lies in, 0 for none. */
  homes(base: BaseLayout, placements: Float32Array): Int32Array {
    const box = new Float64Array(base.count * 4);
    for (let i = 0; i < base.count; i++) box.set([Infinity, Infinity, -Infinity, -Infinity], i * 4);
    base.edgeIsland.forEach((island, edge) => {
      for (let end = 0; end < 2; end++) {
        const [u, v] = [base.edges[edge * 4 + end * 2], base.edges[edge * 4 + end * 2 + 1]];
        const [x, y] = [applyX(placements, island, u, v), applyY(placements, island, u, v)];
        const at = island * 4;
        box[at] = Math.min(box[at], x);
        box[at + 1] = Math.min(box[at + 1], y);
        box[at + 2] = Math.max(box[at + 2], x);
        box[at + 3] = Math.max(box[at + 3], y);
      }
    });
    const out = new Int32Array(base.count);
    for (let i = 0; i < base.count; i++) {
      const column = Math.floor(0.5 * (box[i * 4] + box[i * 4 + 2]));
      const row = Math.floor(0.5 * (box[i * 4 + 1] + box[i * 4 + 3]));
      const number = 1001 + column + 10 * row;
      out[i] = column >= 0 && column < 10 && row >= 0 && this.byNumber.has(number) ? number : 0;
    }
    return out;
  }

  /** Width and height in px, column and row of the tile that each island lies in, as the shaders take them. */
  cells(homes: Int32Array): Float32Array {
    const out = new Float32Array(homes.length * 4);
    homes.forEach((number, i) => {
      const tile = this.byNumber.get(number);
      const { width, height } = tile ?? this.tiles[0];
      out.set([width, height, ...(tile ? tileCorner(number) : [0, 0])], i * 4);
    });
    return out;
  }
}

function proportions({ width, height }: TileRow): Pair {
  const longest = Math.max(width, height);
  return [width / longest, height / longest];
}
