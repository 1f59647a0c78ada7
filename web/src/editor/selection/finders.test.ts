import { BufferAttribute, BufferGeometry, Matrix4 } from "three";
import { beforeEach, expect, it, vi } from "vitest";
import type { LayoutInfo } from "../../api/client";
import { Editor } from "../Editor";
import { squares } from "../spatial/squares";
import {
  crooked,
  innerOnes,
  neighbours,
  sameDirection,
  sizeOf,
  squareForSmallest,
} from "./finders";

beforeEach(() => {
  vi.stubGlobal("document", {
    createElementNS: () => ({
      addEventListener: () => undefined,
      removeEventListener: () => undefined,
    }),
  });
  vi.stubGlobal("matchMedia", () => ({ matches: true }));
  vi.stubGlobal("cancelAnimationFrame", () => undefined);
});

/** Three by three squares of 100 px, 8 px apart on a sheet of 1000 px. */
function grid(): Editor {
  const editor = new Editor();
  const [base, still] = squares(
    Array.from(
      { length: 9 },
      (_, k) =>
        [0.1 + 0.108 * (k % 3), 0.1 + 0.108 * Math.floor(k / 3), 0.1] as [number, number, number],
    ),
  );
  const none = Array<number>(9).fill(-1);
  const zero = Array<number>(9).fill(0);
  const info = {
    revision: { id: 1, tiles: [[1001, 1000, 1000]], padding: 8, margin: 4 },
    figures: { island_density: [...zero.slice(1).map(() => 100), null], island_flags: zero },
    objects: [{ id: 1, name: "Box", colour: "#204060", first_island: 0, islands: 9 }],
    world_area: Array<number>(9).fill(1),
    controls: { flags: zero, tile: zero, bundle: none, stack: none, weight: zero },
    warnings: [],
  } as unknown as LayoutInfo;
  editor.show(info, still, {
    base,
    instances: [{ geometry: new BufferGeometry(), matrix: null as never, object: 1 }],
  });
  return editor;
}

it("grows to those beside, not over a corner gap that is wider", () => {
  const editor = grid();
  expect(neighbours(editor, [0]).sort()).toEqual([1, 3]);
  expect(neighbours(editor, [4]).sort()).toEqual([1, 3, 5, 7]);
  expect(neighbours(editor, [])).toEqual([]);
});

it("shrinks by the rim", () => {
  const editor = grid();
  expect(innerOnes(editor, [0, 1, 3, 4])).toEqual([0]);
  expect(innerOnes(editor, [0, 1, 2, 3, 4, 5, 6, 7, 8])).toHaveLength(9);
});

it("measures sizes by density, else by the box, and finds nothing crooked among upright squares", () => {
  const editor = grid();
  expect(sizeOf(editor, 0)).toBe(10_000);
  expect(sizeOf(editor, 8)).toBeCloseTo(10_000, 0);
  expect(crooked(editor)).toEqual([]);
});

it("finds islands that look the same way as they stand, and none that look all ways", () => {
  const editor = grid();
  // Triangles about the z axis: each looks along x, turned by 20 degrees more than the one before;
  // the last island is a plate with both its sides.
  const points: number[] = [];
  const island: number[] = [];
  const triangle = (k: number, turn: number, side: number) => {
    const [c, s] = [Math.cos(turn), Math.sin(turn)];
    const corners = [
      [0, 0, 0],
      [-s, c, 0],
      [0, 0, 1],
    ];
    points.push(...(side > 0 ? corners : corners.reverse()).flat());
    island.push(k, k, k);
  };
  for (let k = 0; k < 8; k++) triangle(k, (k * 20 * Math.PI) / 180, 1);
  triangle(8, 0, 1);
  triangle(8, 0, -1);
  const geometry = new BufferGeometry();
  geometry.setAttribute("position", new BufferAttribute(new Float32Array(points), 3));
  geometry.setAttribute("uv", new BufferAttribute(new Float32Array(island.length * 2), 2));
  geometry.setAttribute("_island", new BufferAttribute(new Float32Array(island), 1));
  editor.document.geometry = {
    ...editor.document.geometry!,
    instances: [{ geometry, matrix: new Matrix4(), object: 1 }],
  };
  expect(sameDirection(editor, [0])).toEqual([0, 1]);
  expect(sameDirection(editor, [3])).toEqual([2, 3, 4]);
  expect(sameDirection(editor, [0, 7])).toEqual([0, 1, 6, 7]);
  expect(sameDirection(editor, [8])).toEqual([]);
});

it("finds the checker square that the smallest triangle shows four of", () => {
  const editor = grid();
  // Squares of 100 px as two triangles of 5,000 texels: half of the root of that.
  expect(squareForSmallest(editor, [0, 5])).toBe(35);
  expect(squareForSmallest(editor, [])).toBe(null);
});
