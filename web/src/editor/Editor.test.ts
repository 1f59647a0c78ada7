import { BufferGeometry } from "three";
import { beforeEach, expect, it, vi } from "vitest";
import type { Finding, LayoutInfo, Proof } from "../api/client";
import { Editor } from "./Editor";
import type { Geometry } from "./layout/readGeometry";
import { FLAGS } from "./style/islandStyle";

beforeEach(() => {
  const image = { addEventListener: () => undefined, removeEventListener: () => undefined };
  vi.stubGlobal("document", { createElementNS: () => image });
  vi.stubGlobal("matchMedia", () => ({ matches: true }));
  vi.stubGlobal("cancelAnimationFrame", () => undefined);
});

const square = (x: number) => [x, 0, x + 0.2, 0, x + 0.2, 0.2];
const edges = (x: number) => [x, 0, x + 0.2, 0, x + 0.2, 0, x + 0.2, 0.2, x + 0.2, 0.2, x, 0];

const geometry: Geometry = {
  base: {
    count: 2,
    corners: new Float32Array([...square(0), ...square(0.5)]),
    triangleIsland: new Int32Array([0, 1]),
    edges: new Float32Array([...edges(0), ...edges(0.5)]),
    edgeIsland: new Int32Array([0, 0, 0, 1, 1, 1]),
  },
  instances: [{ geometry: new BufferGeometry(), matrix: null as never, object: 7 }],
};

function info(tiles: number[][] = [[1001, 2048, 1024]]): LayoutInfo {
  return {
    revision: { id: 1, tiles } as never,
    figures: { island_density: [64, 256], island_flags: [FLAGS.mirrored, FLAGS.outside] } as never,
    objects: [{ id: 7, name: "Crate", colour: "#204060", first_island: 0, islands: 2 } as never],
    world_area: [1, 1],
    controls: { flags: [0, 3], tile: [0, 1002], bundle: [4, 4], stack: [-1, -1], weight: [1, 1] },
    warnings: [],
  };
}

const still = new Float32Array([1, 0, 0, 0, 1, 0, 1, 0, 0, 0, 1, 0]);
const look = (editor: Editor, island: number) => Array.from((editor.textures!.look.image.data as Uint8Array).slice(4 * island, 4 * island + 4));

it("shows a layout, tells listeners, and knows islands by object and flag", () => {
  const editor = new Editor();
  const heard = vi.fn();
  editor.subscribe(heard);
  editor.show(info(), still, geometry);
  expect(heard).toHaveBeenCalled();
  expect(editor.map.pitch).toEqual([1, 0.5]);
  expect(editor.objectOf(1)?.name).toBe("Crate");
  expect([editor.code(1), editor.code(7)]).toEqual(["CR·2", ""]);
  expect(editor.flagged(FLAGS.outside)).toEqual([1]);
  expect(look(editor, 0).slice(0, 3)).toEqual([0x20, 0x40, 0x60]);
});

it("keeps the selection when the same islands come in a new layout", () => {
  const editor = new Editor();
  editor.show(info(), still, geometry);
  editor.select((selection) => selection.set([1]));
  editor.show(info(), still.slice(), geometry);
  expect(editor.selection.list()).toEqual([1]);
  editor.show(info(), still, { ...geometry });
  expect(editor.selection.size).toBe(0);
});

it("colours by density on both sides of the house density", () => {
  const editor = new Editor();
  editor.show(info(), still, geometry);
  editor.setHouse(128, 0.05);
  editor.setView("density");
  const [low, high] = [look(editor, 0), look(editor, 1)];
  expect(low[2]).toBeGreaterThan(low[0]);
  expect(high[0]).toBeGreaterThan(high[2]);
});

it("marks what is selected, and fault patterns only where they do not hide a measure", () => {
  const editor = new Editor();
  editor.show(info(), still, geometry);
  const patterned = look(editor, 0)[3];
  editor.setView("density");
  expect(look(editor, 0)[3]).toBeLessThan(patterned);
  editor.select((selection) => selection.set([0]));
  expect(look(editor, 0)[3] & 1).toBe(1);
});

it("frames the selection, or the sheet when nothing is selected", () => {
  const editor = new Editor();
  editor.camera.resize(500, 400);
  editor.show(info(), still, geometry);
  editor.frameTable();
  const whole = editor.camera.scale;
  editor.select((selection) => selection.set([0]));
  editor.frameSelection();
  expect(editor.camera.scale).toBeGreaterThan(whole);
  editor.select((selection) => selection.clear());
  editor.frameSelection();
  expect(editor.camera.scale).toBeCloseTo(whole);
});

it("chooses checker squares of a power of two px near an eighth of a metre", () => {
  const editor = new Editor();
  editor.house = 128;
  expect(editor.checkerSquare).toBe(16);
  editor.house = 100_000;
  expect(editor.checkerSquare).toBe(128);
});

it("knows what was said about islands", () => {
  const editor = new Editor();
  editor.show(info(), still, geometry);
  expect(editor.control(1)).toEqual({ flags: 3, tile: 1002, bundle: 4, stack: -1 });
  expect(editor.mates("bundle", 0)).toEqual([0, 1]);
  expect(editor.mates("stack", 0)).toEqual([0]);
});

it("shows a search at work and goes back to what is kept", () => {
  const editor = new Editor();
  editor.show(info(), still, geometry);
  const found = still.slice();
  found[2] = 0.25;
  editor.preview(found);
  expect(editor.previewed).toBe(found);
  expect(editor.model!.placements).toBe(still);
  editor.preview(new Float32Array(3));
  expect(editor.previewed).toBe(found);
  editor.endPreview();
  expect(editor.previewed).toBeNull();
});

it("lays another layout over this one until the next comes", () => {
  const editor = new Editor();
  editor.show(info(), still, geometry);
  editor.overlay(still.slice());
  expect(editor.ghost?.bounds[0].maxX).toBeCloseTo(0.2);
  editor.show(info(), still.slice(), geometry);
  expect(editor.ghost).toBeNull();
});

it("brings a new sheet into sight", () => {
  const editor = new Editor();
  editor.camera.resize(900, 600);
  editor.show(info(), still, geometry);
  const scale = editor.camera.scale;
  editor.camera.zoomAt(0, 0, 3);
  editor.show(info(), still.slice(), geometry);
  expect(editor.camera.scale).toBeCloseTo(3 * scale);
  editor.show(info([[1001, 2048, 1024], [1003, 512, 512]]), still.slice(), geometry);
  expect(editor.camera.scale).toBeLessThan(scale);
  expect(editor.tiles.map((t) => t.number)).toEqual([1001, 1003]);
});

it("looks at a finding: its islands are picked, its spot is in the middle, and a new layout takes it away", () => {
  const editor = new Editor();
  editor.show(info(), still, geometry);
  const finding = { key: "k", kind: "gap", object: "Crate", islands: [0, 1], spots: [[0.2, 0.1], [0.5, 0.1]] } as unknown as Finding;
  const asked = editor.frameModel;
  editor.showFinding(finding);
  expect(editor.selection.list()).toEqual([0, 1]);
  expect(editor.camera.x).toBeCloseTo(0.35);
  expect(editor.camera.y).toBeCloseTo(0.05);
  expect(editor.frameModel).toBe(asked + 1);
  editor.show(info(), still.slice(), geometry);
  expect(editor.finding).toBe(finding);
  editor.show({ ...info(), revision: { ...info().revision, id: 2 } }, still.slice(), geometry);
  expect(editor.finding).toBeNull();
});

it("looks at a whole object where a finding has no island", () => {
  const editor = new Editor();
  editor.show(info(), still, geometry);
  editor.showFinding({ key: "u", kind: "unflattened", object: "Crate", islands: [], spots: [] } as unknown as Finding);
  expect(editor.focusObject).toBe("Crate");
  expect(editor.selection.size).toBe(0);
  editor.select((s) => s.set([1]));
  editor.frameSelection();
  expect(editor.focusObject).toBe("");
});

it("knows an island's material and stretch from the proof, and its tile from its place", () => {
  const editor = new Editor();
  editor.show(info([[1001, 2048, 1024], [1002, 512, 512]]), new Float32Array([1, 0, 0, 0, 1, 0, 1, 0, 1, 0, 1, 0]), geometry);
  editor.setProof({ island_material: [2, -1], island_stretch: [1.2, null], findings: [], totals: {} } as unknown as Proof, false);
  expect(editor.seen(0)).toMatchObject({ material: 2, stretch: 1.2, tile: 0, mirrored: true, stacked: false });
  expect(editor.seen(1)).toMatchObject({ material: -1, stretch: null, tile: 1 });
});

it("redraws while islands glide without telling everyone", () => {
  const editor = new Editor();
  const heard = vi.fn();
  const drawn = vi.fn();
  editor.subscribe(heard);
  editor.subscribeFrames(drawn);
  editor.drawn();
  expect(heard).not.toHaveBeenCalled();
  expect(drawn).toHaveBeenCalledTimes(1);
  editor.changed();
  expect(drawn).toHaveBeenCalledTimes(2);
});

it("forgets everything of one project before the next", () => {
  const editor = new Editor();
  editor.show(info(), still, geometry);
  editor.select((selection) => selection.set([1]));
  editor.setProof({ ready: true, island_material: [0, 0], island_stretch: [1, 1] } as unknown as Proof, false);
  const textures = vi.spyOn(editor.textures!, "dispose");
  editor.clear();
  expect(textures).toHaveBeenCalled();
  expect([editor.info, editor.model, editor.proof, editor.finding]).toEqual([null, null, null, null]);
  expect(editor.selection.list()).toEqual([]);
  expect(editor.flagged(FLAGS.mirrored)).toEqual([]);
  expect(editor.tiles).toHaveLength(1);
});
