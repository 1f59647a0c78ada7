import { expect, it } from "vitest";
import { fabric, mix, OCHRE, PAPER, TEAL, viewColour, viewLabel, type Seen } from "./views";

const seen: Seen = {
  density: 512,
  weighted: 512,
  mirrored: false,
  overlapping: false,
  stacked: false,
  material: 1,
  tile: 0,
  stretch: 1,
  seen: null,
  own: [1, 2, 3],
};
const colour = (view: Parameters<typeof viewColour>[0], change: Partial<Seen> = {}) =>
  viewColour(view, { ...seen, ...change }, 512, [488, 537], 1.5);

it("shows an island without a fault on paper", () => {
  expect(colour("density")).toEqual(PAPER);
  expect(colour("overlap")).toEqual(PAPER);
  expect(colour("stretch")).toEqual(PAPER);
  expect(colour("object")).toEqual([1, 2, 3]);
});

it("turns to ochre for too much and to teal for too little", () => {
  expect(colour("density", { weighted: 1024 })).toEqual(OCHRE);
  expect(colour("density", { weighted: 256 })).toEqual(TEAL);
  expect(colour("overlap", { overlapping: true })).toEqual(OCHRE);
  expect(colour("facing", { mirrored: true })).toEqual(OCHRE);
  expect(colour("stretch", { stretch: 9 })).toEqual(OCHRE);
  expect(colour("visibility", { seen: 0 })).toEqual(OCHRE);
  expect(colour("overlap", { overlapping: true, stacked: true })).toEqual(mix(PAPER, TEAL, 0.6));
});

it("gives each material and tile a fabric of its own", () => {
  expect(colour("material")).toEqual(fabric(1));
  expect(colour("tile")).toEqual(fabric(0));
  expect(fabric(0)).not.toEqual(fabric(1));
  expect(colour("material", { material: -1 })).toEqual([200, 200, 200]);
  // The first objects' colours come from the server's own table of the same rule.
  expect(fabric(0).every((v) => v > 60 && v < 240)).toBe(true);
});

it("prints numbers on the islands where the colour stands for one", () => {
  const text = (value: number | null) => `${value} px/m`;
  expect(viewLabel("density", seen, text)).toBe("512 px/m");
  expect(viewLabel("stretch", { ...seen, stretch: 1.234 }, text)).toBe("1.23");
  expect(viewLabel("stretch", { ...seen, stretch: null }, text)).toBe("–");
  expect(viewLabel("visibility", { ...seen, seen: 0.125 }, text)).toBe("13 %");
  expect(viewLabel("visibility", seen, text)).toBe("–");
  expect(viewLabel("tile", seen, text)).toBe("");
});
