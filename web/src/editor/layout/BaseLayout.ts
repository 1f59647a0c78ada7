/** Islands in base UVs, as they came with the geometry; never changes for a revision's contents. */
export type BaseLayout = {
  count: number;
  /** u, v of every triangle corner that belongs to an island. */
  corners: Float32Array;
  /** Island of every triangle. */
  triangleIsland: Int32Array;
  /** u, v of both ends of every outline edge. */
  edges: Float32Array;
  edgeIsland: Int32Array;
  /** Octaves of every triangle's density over its island's. */
  stretch?: Float32Array;
};
