import { MEASURED } from "./flags.generated";
import { beforeEach, expect, it, vi } from "vitest";
import type { Finding, Report } from "../api/client";
import { Editor } from "./Editor";
import { geometry, info, still } from "./layout.samples";

beforeEach(() => {
  const image = { addEventListener: () => undefined, removeEventListener: () => undefined };
  vi.stubGlobal("document", { createElementNS: () => image });
  vi.stubGlobal("matchMedia", () => ({ matches: true }));
  vi.stubGlobal("cancelAnimationFrame", () => undefined);
});

const look = (editor: Editor, island: number) =>
  Array.from(
    (editor.looks.textures!.look.image.data as Uint8Array).slice(4 * island, 4 * island + 4),
  );

it("shows a layout, tells listeners, and knows islands by object and flag", () => {
  const editor = new Editor();
  const heard = vi.fn();
  editor.signal("document").subscribe(heard);
  editor.show(info(), still, geometry);
  expect(heard).toHaveBeenCalled();
  expect(editor.document.map.pitch).toEqual([1, 0.5]);
  expect(editor.document.objectOf(1)?.name).toBe("Crate");
  expect([editor.document.code(1), editor.document.code(7)]).toEqual(["CR·2", ""]);
  expect(editor.document.flagged(MEASURED.outside)).toEqual([1]);
  expect(look(editor, 0).slice(0, 3)).toEqual([0x20, 0x40, 0x60]);
});

it("keeps the selection when the same islands come in a new layout", () => {
  const editor = new Editor();
  editor.show(info(), still, geometry);
  editor.select((selection) => selection.set([1]));
  editor.show(info(), still.slice(), geometry);
  expect(editor.selection.list()).toEqual([1]);
  // Another set of islands: those of the same object and number stay selected.
  const other = info();
  other.objects = [
    { id: 3, name: "Lid", colour: "#204060", channel: 0, first_island: 0, islands: 1 } as never,
    { ...other.objects[0], first_island: 1, islands: 1, part: [1] },
  ];
  editor.show(other, still, { ...geometry });
  expect(editor.selection.list()).toEqual([1]);
  editor.show(
    { ...other, objects: [other.objects[0], { ...other.objects[1], part: [0] }] },
    still,
    { ...geometry },
  );
  expect(editor.selection.size).toBe(0);
});

it("colours by density on both sides of the house density", () => {
  const editor = new Editor();
  editor.show(info(), still, geometry);
  editor.setHouse({ density: 128 });
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

it("frames the selection, or the tile when nothing is selected", () => {
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
  editor.view.setHouse({ density: 128 });
  expect(editor.view.checkerSquare).toBe(16);
  editor.view.setHouse({ density: 100_000 });
  expect(editor.view.checkerSquare).toBe(128);
  editor.setSquare({ px: 32 });
  expect(editor.view.covering).toBe(null);
  editor.setView("checker");
  expect(editor.view.covering).toMatchObject({ repeat: [1 / 256, 1 / 256], perPx: true });
  // A quarter of a metre at 400 px/m.
  editor.view.setHouse({ density: 400 });
  editor.setSquare({ metres: 0.25 });
  expect(editor.view.checkerSquare).toBe(100);
  editor.setSquare(null);
  expect(editor.view.checkerSquare).toBe(64);
});

it("knows what was said about islands", () => {
  const editor = new Editor();
  editor.show(info(), still, geometry);
  expect(editor.document.control(1)).toEqual({ flags: 3, tile: 1002, bundle: 4, stack: -1 });
  expect(editor.document.mates("bundle", 0)).toEqual([0, 1]);
  expect(editor.document.mates("stack", 0)).toEqual([0]);
});

it("shows a search at work and goes back to what is kept", () => {
  const editor = new Editor();
  editor.show(info(), still, geometry);
  const found = still.slice();
  found[2] = 0.25;
  editor.preview(found);
  expect(editor.view.previewed).toBe(found);
  expect(editor.document.model!.placements).toBe(still);
  editor.preview(new Float32Array(3));
  expect(editor.view.previewed).toBe(found);
  editor.endPreview();
  expect(editor.view.previewed).toBeNull();
});

it("lays another layout over this one until the next comes", () => {
  const editor = new Editor();
  editor.show(info(), still, geometry);
  editor.overlay(still.slice());
  expect(editor.view.ghost?.bounds[0].maxX).toBeCloseTo(0.2);
  editor.show(info(), still.slice(), geometry);
  expect(editor.view.ghost).toBeNull();
});

it("brings a new tile into sight", () => {
  const editor = new Editor();
  editor.camera.resize(900, 600);
  editor.show(info(), still, geometry);
  const scale = editor.camera.scale;
  editor.camera.zoomAt(0, 0, 3);
  editor.show(info(), still.slice(), geometry);
  expect(editor.camera.scale).toBeCloseTo(3 * scale);
  editor.show(
    info([
      [1001, 2048, 1024],
      [1003, 512, 512],
    ]),
    still.slice(),
    geometry,
  );
  expect(editor.camera.scale).toBeLessThan(scale);
  expect(editor.document.tiles.map((t) => t.number)).toEqual([1001, 1003]);
});

it("gives the side table room when something waits on it, and shows at once what came there", () => {
  const editor = new Editor();
  editor.camera.resize(400, 400);
  editor.show(info(), still, geometry);
  const alone = editor.camera.scale;
  const [left] = editor.camera.toTable(0, 0);
  expect(left).toBeGreaterThan(-0.1);
  const aside = still.slice();
  aside[2] = -0.4;
  editor.show(info(), aside, geometry);
  expect(editor.camera.scale).toBeLessThan(alone);
  expect(editor.camera.toTable(0, 0)[0]).toBeLessThan(-0.4);
  // The view is the user's then: the same islands there do not move it.
  editor.camera.zoomAt(100, 100, 3);
  const { x } = editor.camera;
  editor.show(info(), aside.slice(), geometry);
  expect(editor.camera.x).toBe(x);
});

it("shows where new islands lie when none of them is in sight", () => {
  const editor = new Editor();
  editor.camera.resize(400, 400);
  editor.show(info(), still, geometry);
  editor.frameTable();
  const frame = vi.spyOn(editor.camera, "frame");
  const far = new Float32Array([1, 0, -40, 0, 1, 3, 1, 0, -41, 0, 1, 3]);
  editor.show(info(), far, { ...geometry, base: { ...geometry.base } });
  expect(frame).toHaveBeenCalledTimes(1);
  expect(frame.mock.calls[0][0].minX).toBeLessThan(-39);
});

it("looks at a finding: its islands are selected, its spot is in the middle, and a new layout takes it away", () => {
  const editor = new Editor();
  editor.show(info(), still, geometry);
  const finding = {
    key: "k",
    kind: "gap",
    object: "Crate",
    islands: [0, 1],
    spots: [
      [0.2, 0.1],
      [0.5, 0.1],
    ],
  } as unknown as Finding;
  const asked = editor.view.frameModel;
  editor.showFinding(finding);
  expect(editor.selection.list()).toEqual([0, 1]);
  expect(editor.camera.x).toBeCloseTo(0.35);
  expect(editor.camera.y).toBeCloseTo(0.05);
  expect(editor.view.frameModel).toBe(asked + 1);
  editor.show(info(), still.slice(), geometry);
  expect(editor.figures.finding).toBe(finding);
  editor.show({ ...info(), revision: { ...info().revision, id: 2 } }, still.slice(), geometry);
  expect(editor.figures.finding).toBeNull();
});

it("looks at a whole object where a finding has no island", () => {
  const editor = new Editor();
  editor.show(info(), still, geometry);
  editor.showFinding({
    key: "u",
    kind: "without UVs",
    object: "Crate",
    islands: [],
    spots: [],
  } as unknown as Finding);
  expect(editor.view.focusObject).toBe("Crate");
  expect(editor.selection.size).toBe(0);
  editor.select((s) => s.set([1]));
  editor.frameSelection();
  expect(editor.view.focusObject).toBe("");
});

it("knows an island's material and stretch from the report, and its tile from its place", () => {
  const editor = new Editor();
  editor.show(
    info([
      [1001, 2048, 1024],
      [1002, 512, 512],
    ]),
    new Float32Array([1, 0, 0, 0, 1, 0, 1, 0, 1, 0, 1, 0]),
    geometry,
  );
  editor.setReport(
    {
      island_material: [2, -1],
      island_stretch: [1.2, null],
      findings: [],
      totals: {},
    } as unknown as Report,
    false,
  );
  expect(editor.looks.seen(0)).toMatchObject({
    material: 2,
    stretch: 1.2,
    tile: 0,
    mirrored: true,
    stacked: false,
  });
  expect(editor.looks.seen(1)).toMatchObject({ material: -1, stretch: null, tile: 1 });
});

const TOPICS = ["document", "selection", "figures", "view", "pointer", "looks", "frames"] as const;

/** Topics that something raises. */
function raised(editor: Editor, act: () => void): string[] {
  const before = TOPICS.map((topic) => editor.signal(topic).version);
  act();
  return TOPICS.filter((topic, k) => editor.signal(topic).version > before[k]);
}

it("tells each thing to those that show it, and to nobody else", () => {
  const editor = new Editor();
  editor.show(info(), still, geometry);
  expect(raised(editor, () => editor.drawn())).toEqual(["frames"]);
  expect(raised(editor, () => editor.hover(1))).toEqual(["pointer", "looks", "frames"]);
  expect(raised(editor, () => editor.select((s) => s.set([1])))).toEqual([
    "selection",
    "looks",
    "frames",
  ]);
  expect(raised(editor, () => editor.selection.set([1]))).toEqual([]);
  expect(raised(editor, () => editor.setHouse({ density: 99, tolerance: 0.1 }))).toEqual([
    "view",
    "looks",
    "frames",
  ]);
  expect(raised(editor, () => editor.setHouse({ density: 99, tolerance: 0.1 }))).toEqual([]);
  expect(raised(editor, () => editor.setReport(null, false))).toEqual(["figures"]);
  expect(raised(editor, () => editor.frameTable())).toEqual(["frames"]);
  expect(raised(editor, () => editor.expect([0], { lock_place: true }))).toEqual([
    "document",
    "looks",
    "frames",
  ]);
});

it("restyles only what was selected or left", () => {
  const editor = new Editor();
  editor.show(info(), still, geometry);
  const styled = vi.spyOn(editor.looks.textures!, "setLook");
  editor.select((s) => s.set([1]));
  expect(styled.mock.calls.map(([island]) => island)).toEqual([1]);
  editor.select((s) => s.set([0]));
  expect(
    styled.mock.calls
      .slice(1)
      .map(([island]) => island)
      .sort(),
  ).toEqual([0, 1]);
});

it("shows an edit at once, and takes it back when it is refused", () => {
  const editor = new Editor();
  editor.show(info(), still, geometry);
  editor.expect([0, 1], { lock_rotation: true, lock_place: false, tile: 1001, weight: 2 });
  expect([editor.document.control(0).flags, editor.document.control(1).flags]).toEqual([2, 2]);
  expect(editor.document.info!.controls.weight).toEqual([2, 2]);
  editor.expect([0], { leave_out: true });
  expect(editor.document.control(0).flags).toBe(18);
  editor.takeBack();
  expect([editor.document.control(0), editor.document.control(1).tile]).toEqual([
    { flags: 0, tile: 0, bundle: 4, stack: -1 },
    1002,
  ]);
  editor.expect([0], { lock_size: true });
  editor.show(
    { ...info(), controls: { ...info().controls, flags: [4, 3] } },
    still.slice(),
    geometry,
  );
  editor.takeBack();
  expect(editor.document.control(0).flags).toBe(4);
});

it("forgets everything of one project before the next", () => {
  const editor = new Editor();
  editor.show(info(), still, geometry);
  editor.select((selection) => selection.set([1]));
  editor.setReport(
    { ready: true, island_material: [0, 0], island_stretch: [1, 1] } as unknown as Report,
    false,
  );
  const textures = vi.spyOn(editor.looks.textures!, "dispose");
  editor.clear();
  expect(textures).toHaveBeenCalled();
  expect([
    editor.document.info,
    editor.document.model,
    editor.figures.report,
    editor.figures.finding,
  ]).toEqual([null, null, null, null]);
  expect(editor.selection.list()).toEqual([]);
  expect(editor.document.flagged(MEASURED.mirrored)).toEqual([]);
  expect(editor.document.tiles).toHaveLength(1);
});

it("keeps what is looked at when the table gets another size, and all of the table where that was seen", () => {
  const editor = new Editor();
  editor.resizeTable(600, 400);
  editor.show(info(), still, geometry);
  const { camera } = editor;
  const whole = camera.scale;
  editor.resizeTable(1200, 800);
  expect(camera.scale).toBeGreaterThan(1.9 * whole);
  camera.zoomAt(100, 100, 3);
  const middle = [camera.x, camera.y];
  const seen = 800 / camera.scale;
  editor.resizeTable(700, 300);
  expect([camera.x, camera.y]).toEqual(middle);
  expect(300 / camera.scale).toBeCloseTo(seen, 9);
  editor.frameTable();
  editor.resizeTable(600, 400);
  editor.setHandsOn(false);
  editor.setHandsOn(true);
  expect(camera.scale).toBeLessThan(whole); // the tools lie over a part of it
});
