import { MEASURED } from "./flags.generated";
import { BufferGeometry } from "three";
import type { LayoutInfo } from "../api/client";
import type { Geometry } from "./layout/readGeometry";

const square = (x: number) => [x, 0, x + 0.2, 0, x + 0.2, 0.2];
const edges = (x: number) => [x, 0, x + 0.2, 0, x + 0.2, 0, x + 0.2, 0.2, x + 0.2, 0.2, x, 0];

export const geometry: Geometry = {
  base: {
    count: 2,
    corners: new Float32Array([...square(0), ...square(0.5)]),
    triangleIsland: new Int32Array([0, 1]),
    edges: new Float32Array([...edges(0), ...edges(0.5)]),
    edgeIsland: new Int32Array([0, 0, 0, 1, 1, 1]),
  },
  instances: [{ geometry: new BufferGeometry(), matrix: null as never, object: 7 }],
};

/** A crate of two islands, one mirrored, one outside and locked. */
export function info(tiles: number[][] = [[1001, 2048, 1024]]): LayoutInfo {
  return {
    revision: { id: 1, tiles } as never,
    figures: {
      island_density: [64, 256],
      island_flags: [MEASURED.mirrored, MEASURED.outside],
    } as never,
    objects: [
      { id: 7, name: "Crate", colour: "#204060", channel: 0, first_island: 0, islands: 2 } as never,
    ],
    world_area: [1, 1],
    controls: { flags: [0, 3], tile: [0, 1002], bundle: [4, 4], stack: [-1, -1], weight: [1, 1] },
    warnings: [],
  };
}

/** Placements as the islands lie. */
export const still = new Float32Array([1, 0, 0, 0, 1, 0, 1, 0, 0, 0, 1, 0]);
