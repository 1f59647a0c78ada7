import { BufferGeometry } from "three";
import { beforeEach, expect, it, vi } from "vitest";
import type { LayoutInfo } from "../../api/client";
import { Editor } from "../Editor";
import type { PlaceEdit } from "../history/HistoryManager";
import { squares } from "../spatial/squares";
import { numbersOf, makes, typed } from "./numbers";
import type { PointerAt } from "./Tool";
import { handles } from "./take/frame";

beforeEach(() => {
  const image = { addEventListener: () => undefined, removeEventListener: () => undefined };
  vi.stubGlobal("document", { createElementNS: () => image });
  vi.stubGlobal("matchMedia", () => ({ matches: true }));
  vi.stubGlobal("cancelAnimationFrame", () => undefined);
});

/** Two squares of 100 px on a sheet of 1000 px, and one that is locked; edits are collected. */
function setUp(flags = [0, 0, 1]) {
  const editor = new Editor();
  const [base, still] = squares([
    [0.1, 0.1, 0.1],
    [0.5, 0.1, 0.1],
    [0.8, 0.8, 0.1],
  ]);
  const none = flags.map(() => -1);
  const info = {
    revision: { id: 1, tiles: [[1001, 1000, 1000]], padding: 8, margin: 4 },
    figures: { island_density: [100, 100, 50], island_flags: [0, 0, 0] },
    objects: [{ id: 1, name: "Box", colour: "#204060", first_island: 0, islands: 3 }],
    world_area: [1, 1, 1],
    controls: { flags, tile: [0, 0, 0], bundle: none, stack: none, weight: [1, 1, 1] },
    warnings: [],
  } as unknown as LayoutInfo;
  editor.camera.resize(1000, 1000);
  editor.show(info, still, {
    base,
    instances: [{ geometry: new BufferGeometry(), matrix: null as never, object: 1 }],
  });
  Object.assign(editor.camera, { x: 0.5, y: 0.5, scale: 1000 });
  const sent: PlaceEdit[] = [];
  editor.history.send = (edit) => {
    sent.push(edit);
    return Promise.resolve(2);
  };
  return { editor, sent };
}

const at = (editor: Editor, x: number, y: number, keys: Partial<PointerAt> = {}): PointerAt => {
  const [sx, sy] = editor.camera.toScreen(x, y);
  return { x, y, sx, sy, button: 0, shift: false, ctrl: false, alt: false, ...keys };
};

/** Press, move in a few steps, let go. */
function drag(
  editor: Editor,
  from: [number, number],
  to: [number, number],
  keys: Partial<PointerAt> = {},
) {
  editor.tools.down(at(editor, ...from, { ...keys, shift: false }));
  for (let k = 1; k <= 4; k++)
    editor.tools.move(
      at(
        editor,
        from[0] + ((to[0] - from[0]) * k) / 4,
        from[1] + ((to[1] - from[1]) * k) / 4,
        keys,
      ),
    );
}

it("selects with a click, and adds with a modifier", () => {
  const { editor } = setUp();
  editor.tools.down(at(editor, 0.15, 0.15));
  expect(editor.tools.state.name).toBe("pressed");
  editor.tools.up(at(editor, 0.15, 0.15));
  expect([editor.tools.state.name, editor.selection.list()]).toEqual(["idle", [0]]);
  editor.tools.down(at(editor, 0.55, 0.15, { ctrl: true }));
  editor.tools.up(at(editor, 0.55, 0.15, { ctrl: true }));
  expect(editor.selection.list()).toEqual([0, 1]);
});

it("draws a box from the empty table, and from an island where hands are off", () => {
  const { editor } = setUp();
  drag(editor, [0.05, 0.05], [0.7, 0.3]);
  expect(editor.tools.state.name).toBe("boxing");
  editor.tools.up(at(editor, 0.7, 0.3));
  expect(editor.selection.list()).toEqual([0, 1]);
  editor.setHandsOn(false);
  drag(editor, [0.15, 0.15], [0.3, 0.3]);
  expect(editor.tools.state.name).toBe("boxing");
});

it("moves an island with the pointer and sends one edit when it is let go", async () => {
  const { editor, sent } = setUp();
  drag(editor, [0.15, 0.15], [0.35, 0.45], { alt: true });
  expect(editor.tools.state.name).toBe("dragging");
  expect(editor.gesture.by).toEqual([1, 0, expect.closeTo(0.2), 0, 1, expect.closeTo(0.3)]);
  expect(editor.document.model!.bounds[0].minX).toBeCloseTo(0.1, 6);
  editor.tools.up(at(editor, 0.35, 0.45));
  await editor.history.settled();
  expect(sent).toMatchObject([
    { verb: "move", islands: [0], moves: [[1, 0, expect.closeTo(0.2), 0, 1, expect.closeTo(0.3)]] },
  ]);
  expect(editor.document.model!.bounds[0].minX).toBeCloseTo(0.3, 6);
});

it("snaps to the padding, and with Shift keeps to one axis", () => {
  const { editor } = setUp();
  drag(editor, [0.15, 0.15], [0.438, 0.16]);
  expect(editor.gesture.snapped).toContain("padding");
  expect(editor.gesture.nearest!.distance * 1000).toBeCloseTo(8, 4);
  editor.tools.cancel();
  drag(editor, [0.15, 0.15], [0.3, 0.17], { shift: true, alt: true });
  expect(editor.gesture.by[5]).toBe(0);
});

it("puts everything back with Escape", async () => {
  const { editor, sent } = setUp();
  drag(editor, [0.15, 0.15], [0.35, 0.45]);
  expect(editor.tools.cancel()).toBe(true);
  expect([editor.tools.state.name, editor.gesture.active]).toEqual(["idle", false]);
  await editor.history.settled();
  expect(sent).toEqual([]);
  expect(editor.tools.cancel()).toBe(false);
});

it("leaves locked islands where they are and says which", () => {
  const { editor } = setUp();
  drag(editor, [0.85, 0.85], [0.6, 0.6]);
  expect([editor.tools.state.name, editor.gesture.active, editor.gesture.held]).toEqual([
    "dragging",
    false,
    [2],
  ]);
  editor.tools.up(at(editor, 0.6, 0.6));
  editor.select((s) => s.set([0, 2]));
  drag(editor, [0.15, 0.15], [0.3, 0.3]);
  expect(editor.gesture.outlines!.islands).toEqual([0]);
});

it("turns with the pin, in steps of 15° with Shift", () => {
  const { editor } = setUp();
  editor.select((s) => s.set([0]));
  const [px, py] = handles(editor.frame!, (x, y) => editor.camera.toScreen(x, y)).turn;
  const [tx, ty] = editor.camera.toTable(px, py);
  editor.tools.down(at(editor, tx, ty));
  expect(editor.tools.state.name).toBe("turning");
  editor.tools.move(at(editor, 0.05, 0.151, { shift: true }));
  expect(editor.gesture.by.slice(0, 2)).toEqual([0, -1]);
  editor.tools.up(at(editor, 0.05, 0.15));
  expect(numbersOf(editor)!.turn).toBeCloseTo(90, 4);
});

it("sizes at a pin, about the opposite corner, and keeps the proportion", () => {
  const { editor } = setUp();
  editor.select((s) => s.set([0]));
  const [px, py] = handles(editor.frame!, (x, y) => editor.camera.toScreen(x, y)).ne;
  const [tx, ty] = editor.camera.toTable(px, py);
  editor.tools.down(at(editor, tx, ty));
  expect(editor.tools.state.name).toBe("sizing");
  editor.tools.move(at(editor, 0.25, 0.25));
  editor.tools.up(at(editor, 0.25, 0.25));
  expect(numbersOf(editor)).toMatchObject({
    x: expect.closeTo(100, 3),
    y: expect.closeTo(100, 3),
    wide: expect.closeTo(150, 3),
    high: expect.closeTo(150, 3),
  });
});

it("nudges by a texel, the padding or a tenth; keys that follow soon are one edit", async () => {
  vi.useFakeTimers();
  const { editor, sent } = setUp();
  editor.select((s) => s.set([0]));
  expect(editor.tools.key("ArrowRight", false, false)).toBe(true);
  editor.tools.key("ArrowRight", true, false);
  editor.tools.key("ArrowUp", false, true);
  expect(numbersOf(editor)!.x).toBeCloseTo(109, 3);
  vi.runAllTimers();
  vi.useRealTimers();
  await editor.history.settled();
  expect(sent).toHaveLength(1);
  expect(sent[0].moves[0][2] * 1000).toBeCloseTo(9, 6);
  expect(sent[0].moves[0][5] * 1000).toBeCloseTo(0.1, 6);
});

it("moves the view with the middle button, with Space, or with arrows when nothing is selected", () => {
  const { editor } = setUp();
  const before = editor.camera.x;
  editor.tools.down(at(editor, 0.5, 0.5, { button: 1 }));
  editor.tools.move(at(editor, 0.6, 0.5));
  editor.tools.up(at(editor, 0.6, 0.5));
  expect([editor.camera.x < before, editor.tools.dragged, editor.tools.state.name]).toEqual([
    true,
    true,
    "idle",
  ]);
  expect(editor.tools.key("ArrowRight", false, false)).toBe(true);
  expect(editor.tools.key("x", false, false)).toBe(false);
});

it("reads typed numbers with simple arithmetic", () => {
  expect([
    typed("12.5", 3),
    typed("+8", 3),
    typed("*0.5", 3),
    typed("/2", 3),
    typed("-4 px", 3),
    typed("2,5", 1),
  ]).toEqual([12.5, 11, 1.5, 1.5, -4, 2.5]);
  expect([typed("abc", 3), typed("", 3), typed("/0", 3)]).toEqual([null, null, null]);
});

it("makes a typed number true", async () => {
  const { editor, sent } = setUp();
  editor.select((s) => s.set([0, 1]));
  for (const [field, value] of [
    ["x", 40],
    ["y", 7],
    ["wide", 250],
    ["turn", 30],
    ["density", 50],
  ] as const) {
    const made = makes(field, value, numbersOf(editor)!)!;
    await editor.transform(made.verb, made.by);
    if (field !== "turn" && field !== "density")
      expect(numbersOf(editor)![field]).toBeCloseTo(value, 2);
  }
  expect(sent.map((edit) => edit.verb)).toEqual(["move", "move", "size", "turn", "size"]);
  expect(makes("wide", 0, numbersOf(editor)!)).toBeNull();
});

it("says when islands go to the side table and come back", async () => {
  const { editor, sent } = setUp();
  editor.select((s) => s.set([0]));
  await editor.transform("move", [1, 0, -0.5, 0, 1, 0]);
  expect(sent[0].sideTable).toBe(true);
  editor.document.info!.figures!.island_flags[0] = 16;
  await editor.transform("move", [1, 0, 0.5, 0, 1, 0]);
  expect(sent[1].sideTable).toBe(false);
});

it("shows edits that are on their way on top of what the server says", async () => {
  const { editor } = setUp();
  let answer: (revision: number) => void = () => undefined;
  editor.history.send = () =>
    new Promise((resolve) => {
      answer = resolve;
    });
  editor.select((s) => s.set([0]));
  const done = editor.transform("move", [1, 0, 0.2, 0, 1, 0]);
  const { info, geometry } = editor.document;
  editor.show(
    { ...info! },
    squares([
      [0, 0, 1],
      [0, 0, 1],
      [0, 0, 1],
    ])[1],
    geometry!,
  );
  expect(editor.document.model!.bounds[0].minX).toBeCloseTo(0.3, 6);
  await vi.waitFor(() => expect(editor.history.pending).toBe(1));
  answer(5);
  await done;
  const there = squares([
    [0, 0, 1],
    [0, 0, 1],
    [0, 0, 1],
  ])[1];
  there[2] = 0.25;
  editor.show({ ...info!, revision: { ...info!.revision, id: 5 } }, there, geometry!);
  expect(editor.document.model!.bounds[0].minX).toBeCloseTo(0.35, 6);
});

it("goes through what lies under the pointer with repeated clicks", () => {
  const { editor } = setUp();
  const [base, still] = squares([
    [0.1, 0.1, 0.1],
    [0.05, 0.05, 0.3],
    [0.8, 0.8, 0.1],
  ]);
  editor.show({ ...editor.document.info! }, still, { base, instances: [] });
  const picks = [];
  for (let k = 0; k < 3; k++) {
    editor.tools.down(at(editor, 0.15, 0.15));
    editor.tools.up(at(editor, 0.15, 0.15));
    picks.push(...editor.selection.list());
  }
  expect(picks).toEqual([0, 1, 0]);
});

it("moves each island by itself and leaves locked ones", async () => {
  const { editor, sent } = setUp();
  editor.select((s) => s.set([0, 1, 2]));
  await editor.moveEach((boxes) => boxes.map((b) => [1, 0, -b.minX, 0, 1, 0]));
  expect(sent[0].islands).toEqual([0, 1]);
  expect(editor.document.model!.bounds.map((b) => Math.round(1000 * b.minX))).toEqual([0, 0, 800]);
});

it("says so when locks hold all that a key or a command would move", async () => {
  const { editor, sent } = setUp();
  const held = vi.fn();
  editor.onHeld = held;
  editor.select((s) => s.set([2]));
  await editor.transform("move", [1, 0, 0.1, 0, 1, 0]);
  editor.tools.key("ArrowUp", false, false);
  expect([held.mock.calls, sent]).toEqual([[[1], [1]], []]);
});

it("selects with a line drawn round islands, adds with Shift and takes away with Ctrl", () => {
  const { editor } = setUp([0, 0, 0]);
  editor.tools.use("lasso");
  const round = (points: [number, number][], keys: Partial<PointerAt> = {}) => {
    editor.tools.down(at(editor, ...points[0], keys));
    points.slice(1).forEach((p) => editor.tools.move(at(editor, ...p, keys)));
    editor.tools.up(at(editor, ...points[points.length - 1], keys));
  };
  round([
    [0.05, 0.05],
    [0.3, 0.05],
    [0.3, 0.3],
    [0.05, 0.3],
  ]);
  expect(editor.selection.list()).toEqual([0]);
  // With Alt what is not wholly inside stays out.
  const partly: [number, number][] = [
    [0.05, 0.05],
    [0.2, 0.05],
    [0.2, 0.3],
    [0.05, 0.3],
  ];
  round(partly);
  expect(editor.selection.list()).toEqual([0]);
  round(partly, { alt: true });
  expect(editor.selection.list()).toEqual([]);
  round(
    [
      [0.05, 0.05],
      [0.6, 0.05],
      [0.35, 0.5],
      [0.05, 0.5],
    ],
    { alt: true },
  );
  expect(editor.selection.list()).toEqual([0]);
  // A line that only touches an island with a side meets it too.
  round(
    [
      [0.45, 0.14],
      [0.52, 0.14],
      [0.52, 0.16],
      [0.45, 0.16],
    ],
    { shift: true },
  );
  expect(editor.selection.list()).toEqual([0, 1]);
  round(
    [
      [0.05, 0.05],
      [0.3, 0.05],
      [0.3, 0.3],
      [0.05, 0.3],
    ],
    { ctrl: true },
  );
  expect(editor.selection.list()).toEqual([1]);
  expect(editor.tools.state.name).toBe("pen");
  expect(editor.tools.cancel()).toBe(true);
  expect([editor.tools.tool, editor.tools.state.name]).toEqual(["take", "idle"]);
});

it("brushes over islands, and Escape gives back what was selected before", () => {
  const { editor } = setUp([0, 0, 0]);
  editor.select((s) => s.set([2]));
  editor.tools.use("brush");
  editor.tools.down(at(editor, 0.05, 0.15));
  editor.tools.move(at(editor, 0.7, 0.15));
  expect([editor.tools.state.name, editor.selection.list()]).toEqual(["brush", [0, 1]]);
  editor.tools.cancel();
  expect(editor.selection.list()).toEqual([2]);
});

it("hands over a region in px of its tile, and is then put down", () => {
  const { editor } = setUp([0, 0, 0]);
  const drawn = vi.fn();
  editor.onRegion = drawn;
  editor.tools.use("region");
  editor.tools.down(at(editor, 0.2, 0.3));
  editor.tools.move(at(editor, 0.5, 0.5));
  editor.tools.up(at(editor, 0.6, 0.7, { alt: true }));
  const [{ tile, region, grow }] = drawn.mock.calls[0] as [
    { tile: number; region: [number, number][]; grow: boolean },
  ];
  expect([tile, grow]).toEqual([1001, true]);
  expect(region.map((p) => p.map(Math.round))).toEqual([
    [200, 300],
    [600, 700],
  ]);
  expect(editor.tools.tool).toBe("take");
  editor.tools.use("region");
  editor.tools.down(at(editor, 0.2, 0.3));
  editor.tools.up(at(editor, 0.2, 0.3));
  expect(drawn).toHaveBeenCalledTimes(1);
});

it("carries an island without a press until the next one lays it down", async () => {
  const { editor, sent } = setUp([0, 0, 0]);
  editor.select((s) => s.set([0]));
  expect(editor.tools.carry()).toBe(true);
  editor.tools.move(at(editor, 0.3, 0.35, { alt: true }));
  expect([editor.tools.state.name, editor.gesture.active]).toEqual(["merging", true]);
  editor.tools.down(at(editor, 0.3, 0.35, { alt: true }));
  editor.tools.up(at(editor, 0.3, 0.35));
  await editor.history.settled();
  expect(sent).toHaveLength(1);
  // Its middle came under the pointer.
  expect(sent[0].moves[0][2]).toBeCloseTo(0.15, 6);
  expect(sent[0].moves[0][5]).toBeCloseTo(0.2, 6);
  editor.tools.carry();
  editor.tools.move(at(editor, 0.9, 0.9));
  editor.tools.cancel();
  expect([editor.tools.state.name, editor.gesture.active, sent.length]).toEqual(["idle", false, 1]);
});

it("neither shows nor meets what is hidden", () => {
  const { editor } = setUp([0, 0, 0]);
  editor.select((s) => s.set([0, 1]));
  editor.hide([0]);
  expect(editor.selection.list()).toEqual([1]);
  expect(editor.document.model!.islandAt(0.15, 0.15)).toBe(-1);
  expect(editor.document.model!.islandsIn({ minX: 0, minY: 0, maxX: 1, maxY: 1 })).toEqual([1, 2]);
  editor.hide([]);
  expect(editor.document.model!.islandAt(0.15, 0.15)).toBe(0);
});
