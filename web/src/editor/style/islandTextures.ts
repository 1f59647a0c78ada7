import { DataTexture, FloatType, NearestFilter, RGBAFormat, UnsignedByteType } from "three";
import type { Rgb } from "./islandStyle";

/** Islands per texture row; each takes two texels of placements. */
export const PER_ROW = 512;

/** More than there are columns or rows of tiles. */
const CELLS = 128;

export const MARK = {
  selected: 1,
  mirrored: 2,
  overlapping: 4,
  outside: 8,
  hovered: 16,
  sideTable: 32,
  moving: 64,
  hidden: 128,
} as const;

/** What the shaders read per island: its placement and its look. Both views share these two small textures. */
export class IslandTextures {
  readonly placements: DataTexture;
  readonly look: DataTexture;
  private placementData: Float32Array;
  private lookData: Uint8Array;

  constructor(readonly count: number) {
    const rows = Math.max(1, Math.ceil(count / PER_ROW));
    this.placementData = new Float32Array(PER_ROW * 2 * rows * 4);
    this.lookData = new Uint8Array(PER_ROW * rows * 4);
    this.placements = new DataTexture(this.placementData, PER_ROW * 2, rows, RGBAFormat, FloatType);
    this.look = new DataTexture(this.lookData, PER_ROW, rows, RGBAFormat, UnsignedByteType);
    for (const texture of [this.placements, this.look]) {
      texture.minFilter = texture.magFilter = NearestFilter;
    }
  }

  setPlacements(placements: Float32Array): void {
    for (let i = 0; i < this.count; i++) {
      for (let k = 0; k < 3; k++) {
        this.placementData[i * 8 + k] = placements[i * 6 + k];
        this.placementData[i * 8 + 4 + k] = placements[i * 6 + 3 + k];
      }
    }
    this.placements.needsUpdate = true;
  }

  /** Placements and tiles of some islands. */
  place(
    islands: Iterable<number>,
    placements: Float32Array,
    cells: (island: number) => [number, number, number, number],
  ): void {
    for (const i of islands) {
      const [width, height, column, row] = cells(i);
      this.placementData.set(placements.subarray(i * 6, i * 6 + 3), i * 8);
      this.placementData.set(placements.subarray(i * 6 + 3, i * 6 + 6), i * 8 + 4);
      this.placementData[i * 8 + 3] = width + column / CELLS;
      this.placementData[i * 8 + 7] = height + row / CELLS;
    }
    this.placements.needsUpdate = true;
  }

  /** Width, height, column and row of the tile that each island lies in; the last two go into the fractions. */
  setCells(cells: Float32Array): void {
    for (let i = 0; i < this.count; i++) {
      this.placementData[i * 8 + 3] = cells[i * 4] + cells[i * 4 + 2] / CELLS;
      this.placementData[i * 8 + 7] = cells[i * 4 + 1] + cells[i * 4 + 3] / CELLS;
    }
    this.placements.needsUpdate = true;
  }

  setLook(island: number, [r, g, b]: Rgb, marks: number): void {
    this.lookData.set([r, g, b, marks], island * 4);
  }

  lookDone(): void {
    this.look.needsUpdate = true;
  }

  dispose(): void {
    this.placements.dispose();
    this.look.dispose();
  }
}

/** GLSL that reads an island's placement and look. */
export const ISLAND_GLSL = /* glsl */ `
uniform highp sampler2D uPlacements;
uniform highp sampler2D uLook;
vec2 placed(float island, vec2 uv) {
  int i = int(island + 0.5);
  ivec2 at = ivec2((i % ${PER_ROW}) * 2, i / ${PER_ROW});
  vec3 x = texelFetch(uPlacements, at, 0).xyz;
  vec3 y = texelFetch(uPlacements, at + ivec2(1, 0), 0).xyz;
  return vec2(dot(x.xy, uv) + x.z, dot(y.xy, uv) + y.z);
}
/* px per UV of the tile that the island lies in. */
vec2 cell(float island) {
  int i = int(island + 0.5);
  ivec2 at = ivec2((i % ${PER_ROW}) * 2, i / ${PER_ROW});
  return vec2(texelFetch(uPlacements, at, 0).w, texelFetch(uPlacements, at + ivec2(1, 0), 0).w);
}
vec2 texels(float island) { return floor(cell(island)); }
/* Where a UV of the island lies on the table, when sheets are \`pitch\` apart. */
vec2 onTable(float island, vec2 uv, vec2 pitch) {
  vec2 size = texels(island);
  vec2 corner = floor(fract(cell(island)) * ${CELLS}.0 + 0.5);
  return (uv - corner) * size / max(size.x, size.y) + corner * pitch;
}
vec4 look(float island) {
  int i = int(island + 0.5);
  return texelFetch(uLook, ivec2(i % ${PER_ROW}, i / ${PER_ROW}), 0);
}
bool marked(float alpha, int bit) { return (int(alpha * 255.0 + 0.5) & bit) != 0; }
`;

/** GLSL for the fault patterns: stripes for mirrored, plaid for overlap. \`at\` in screen px. */
export const PATTERN_GLSL = /* glsl */ `
/* One octave either way has full colour: teal for fewer texels than the island's mean, ochre for more. */
vec3 stretchColour(float octaves) {
  vec3 end = octaves < 0.0 ? vec3(0.227, 0.561, 0.561) : vec3(0.769, 0.541, 0.165);
  return mix(vec3(0.941, 0.918, 0.863), end, min(1.0, abs(octaves)));
}
vec3 patterned(vec3 colour, float alpha, vec2 at) {
  if (marked(alpha, ${MARK.mirrored})) {
    float stripe = step(0.62, fract((at.x + at.y) / 9.0));
    colour = mix(colour, vec3(0.62, 0.22, 0.33), stripe * 0.55);
  }
  if (marked(alpha, ${MARK.overlapping})) {
    float across = step(0.7, fract(at.x / 7.0));
    float along = step(0.7, fract(at.y / 7.0));
    colour = mix(colour, vec3(0.12, 0.16, 0.27), (across + along) * 0.13);
  }
  return colour;
}
`;
