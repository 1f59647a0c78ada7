import { expect, it } from "vitest";
import { IslandTextures, MARK, PER_ROW } from "./islandTextures";

it("puts an island's placement into two texels next to one another", () => {
  const textures = new IslandTextures(PER_ROW + 1);
  const placements = new Float32Array((PER_ROW + 1) * 6);
  placements.set([1, 2, 3, 4, 5, 6], PER_ROW * 6);
  textures.setPlacements(placements);
  textures.setCells(new Float32Array((PER_ROW + 1) * 4).fill(64));
  const data = textures.placements.image.data as Float32Array;
  const width = textures.placements.image.width;
  expect(Array.from(data.slice(width * 4, width * 4 + 8))).toEqual([1, 2, 3, 64.5, 4, 5, 6, 64.5]);
});

it("keeps colour and marks of each island", () => {
  const textures = new IslandTextures(3);
  textures.setLook(2, [10, 20, 30], MARK.selected | MARK.mirrored);
  expect(Array.from((textures.look.image.data as Uint8Array).slice(8, 12))).toEqual([
    10, 20, 30, 3,
  ]);
});

it("has a bit of its own for every mark", () => {
  const bits = Object.values(MARK);
  expect(bits.reduce((sum, bit) => sum + bit, 0)).toBe(bits.reduce((all, bit) => all | bit, 0));
});
