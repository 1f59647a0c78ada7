import type { Atlas, ControlRequest, Project } from "./api/client";
import type { Actions } from "./api/hooks";
import { CONTROL } from "./editor/document/LayoutDocument";
import type { Editor } from "./editor/Editor";
import { moving, sizing, turning, type Transform } from "./editor/geometry/transform";
import { SNAPS } from "./editor/snap/SnapManager";
import { aligned, inRow, swapped } from "./editor/tools/arrange";
import type { Verb } from "./editor/tools/Gesture";
import { SIDE_TABLE } from "./editor/table/paper";
import { VIEWS } from "./editor/style/views";
import { nextName, STAGES, useUi } from "./state";

export type Command = { name: string; group: string; hint?: string; enabled: boolean; on?: boolean; run: () => void };

type Change = Omit<ControlRequest, "change" | "islands">;

/** What can be said about the islands that are picked. Locks that all of them have are taken off again. */
export function islandCommands(editor: Editor, actions: Actions): Command[] {
  const islands = editor.selection.list();
  const some = islands.length > 0 && !actions.control.isPending;
  const set = (change: Change, which = islands) => actions.control.mutate({ islands: which, ...change });
  const all = (bit: number) => some && islands.every((i) => editor.document.control(i).flags & bit);
  const toggle = (name: string, bit: number, key: "lock_place" | "lock_turn" | "lock_size" | "may_mirror" | "left_out", hint: string): Command => ({
    name, group: "Islands", hint, enabled: some, on: all(bit), run: () => set({ [key]: !all(bit) }),
  });
  const mates = (kind: "bundle" | "stack") => [...new Set(islands.flatMap((i) => (editor.document.control(i)[kind] >= 0 ? editor.document.mates(kind, i) : [])))];
  return [
    toggle("Lock place", CONTROL.place, "lock_place", "stays where it lies, others pack around it"),
    toggle("Lock turn", CONTROL.turn, "lock_turn", "stays upright as it is"),
    toggle("Lock size", CONTROL.size, "lock_size", "keeps its size when the others scale"),
    toggle("May be mirrored", CONTROL.mirror, "may_mirror", "the packer may flip it"),
    toggle("Leave out", CONTROL.out, "left_out", "lies on the side table"),
    { name: "Bundle", group: "Islands", hint: "packed as one cluster", enabled: some && islands.length > 1, run: () => set({ bundle: true }) },
    ...(["object", "material"] as const).map((by) => ({
      name: `One bundle per ${by}`, group: "Islands", hint: islands.length ? "of those picked" : "of all islands", enabled: editor.document.info !== null && !actions.control.isPending,
      run: () => set({ bundle_by: by }, islands.length ? islands : Array.from({ length: editor.document.info?.world_area.length ?? 0 }, (_, i) => i)),
    })),
    { name: "Take bundle apart", group: "Islands", enabled: some && mates("bundle").length > 0, run: () => set({ bundle: false }, mates("bundle")) },
    { name: "Stack", group: "Islands", hint: "share the same texels", enabled: some && islands.length > 1, run: () => set({ stack: true }) },
    { name: "Take off the stack", group: "Islands", enabled: some && islands.some((i) => editor.document.control(i).stack >= 0), run: () => set({ stack: false }) },
    ...editor.document.tiles.map((tile) => ({ name: `Send to tile ${tile.number}`, group: "Tiles", enabled: some, run: () => set({ tile: tile.number }) })),
    { name: "Let go to any tile", group: "Tiles", enabled: some && islands.some((i) => editor.document.control(i).tile > 0), run: () => set({ tile: 0 }) },
  ];
}

/** What can be done by hand to the picked islands, in one step each. */
export function handCommands(editor: Editor, actions: Actions): Command[] {
  const frame = editor.frame;
  const some = frame !== null && editor.handsOn;
  const several = some && editor.selection.size > 1;
  const middle: [number, number] = frame ? [(frame.minX + frame.maxX) / 2, (frame.minY + frame.maxY) / 2] : [0, 0];
  const act = (name: string, key: string, verb: Verb, by: () => Transform): Command => ({ name, group: "By hand", hint: key, enabled: some, run: () => void editor.transform(verb, by()) });
  const aside = () => {
    const b = frame!;
    const [w, h] = editor.document.map.first;
    return moving(w * (SIDE_TABLE.left + 0.02) - b.minX, Math.min(Math.max(b.minY, 0), Math.max(h - (b.maxY - b.minY), 0)) - b.minY);
  };
  const toTile = (number: number) => () => {
    const sheet = editor.document.map.sheet(number);
    const from = editor.document.map.tileAt(...middle);
    const home = from ? editor.document.map.sheet(from) : null;
    // To the same place of another sheet; from beside the sheets to its middle.
    return home ? moving(sheet.minX - home.minX, sheet.minY - home.minY) : moving((sheet.minX + sheet.maxX) / 2 - middle[0], (sheet.minY + sheet.maxY) / 2 - middle[1]);
  };
  return [
    act("Quarter turn to the left", "[", "turn", () => turning(Math.PI / 2, middle)),
    act("Quarter turn to the right", "]", "turn", () => turning(-Math.PI / 2, middle)),
    act("Half turn", "", "turn", () => turning(Math.PI, middle)),
    act("Mirror left and right", "\\", "mirror", () => sizing(-1, 1, middle)),
    act("Mirror up and down", "", "mirror", () => sizing(1, -1, middle)),
    ...(["left", "right", "top", "bottom", "middle across", "middle up"] as const).map((edge) => ({
      name: edge.startsWith("middle") ? `Middles in line, ${edge.slice(7)}` : `In line at the ${edge}`, group: "By hand", hint: "all that are picked", enabled: several, run: () => void editor.moveEach((boxes) => aligned(boxes, edge)),
    })),
    ...(["across", "up"] as const).map((along) => ({
      name: `In a row ${along}`, group: "By hand", hint: "one behind the other, the padding between them", enabled: several,
      run: () => void editor.moveEach((boxes) => inRow(boxes, along, editor.document.padding / editor.document.map.pxPerUnit(editor.document.map.tileAt(...middle)))),
    })),
    { name: "Swap places", group: "By hand", hint: "of two islands, middle for middle", enabled: some && editor.selection.size === 2, run: () => void editor.moveEach((boxes) => (boxes.length === 2 ? swapped(boxes) : boxes.map(() => moving(0, 0)))) },
    ...(["down", "up", "left", "right"] as const).map((direction) => ({
      name: `Settle ${direction}`, group: "By hand", hint: `Ctrl+arrow: slide until it touches at the padding`, enabled: some && !actions.settle.isPending,
      run: () => actions.settle.mutate({ islands: editor.selection.list(), direction }),
    })),
    { name: "Settle each down", group: "By hand", hint: "one after the other, as if falling", enabled: some && editor.selection.size > 1 && !actions.settle.isPending, run: () => actions.settle.mutate({ islands: editor.selection.list(), direction: "down", each: true }) },
    act("To the side table", "", "move", aside),
    ...editor.document.tiles.map((tile) => act(`To sheet ${tile.number}`, "", "move", toTile(tile.number))),
  ];
}

/** Where the objects of the picked islands can go. */
export function objectCommands(editor: Editor, actions: Actions, project: Project, atlas: Atlas): Command[] {
  const picked = new Set(editor.selection.list().map((i) => editor.document.objectOf(i)?.id));
  const parted = (editor.document.info?.objects ?? []).filter((o) => picked.has(o.id));
  const objects = parted.map((o) => o.id);
  const some = objects.length > 0;
  const said = objects.length === 1 ? "this object" : `these ${objects.length} objects`;
  const goTo = useUi.getState().goToAtlas;
  const islands = editor.selection.list();
  const whole = parted.reduce((sum, o) => sum + o.islands, 0) === islands.length;
  return [
    ...(some && !whole ? partCommands(islands, actions, project, atlas) : []),
    {
      name: "New atlas of these objects", group: "Atlases", hint: `${said}, with all islands and what was said of them`, enabled: some && !actions.newAtlas.isPending,
      run: () => actions.newAtlas.mutate({ name: nextName(project.atlases), objects }, { onSuccess: ({ atlas: made }) => goTo(made) }),
    },
    ...project.atlases.filter((tab) => tab.id !== atlas.id).map((tab) => ({
      name: `Move to ${tab.name}`, group: "Atlases", hint: `${said}, with all islands`, enabled: some, run: () => actions.moveObjects.mutate({ atlas: tab.id, objects }),
    })),
    { name: "Let go of these objects", group: "Atlases", hint: "out of the atlas; they stay in the project, see Gather", enabled: some, run: () => actions.releaseObjects.mutate(objects) },
  ];
}

/** Where some islands of an object can go without the others. */
function partCommands(islands: number[], actions: Actions, project: Project, atlas: Atlas): Command[] {
  const said = islands.length === 1 ? "this island" : `these ${islands.length} islands`;
  const goTo = useUi.getState().goToAtlas;
  return [
    {
      name: "New atlas of these islands", group: "Atlases", hint: `${said}; the others stay`, enabled: !actions.newAtlas.isPending,
      run: () => actions.newAtlas.mutate({ name: nextName(project.atlases), source: atlas.id, islands }, { onSuccess: ({ atlas: made }) => goTo(made) }),
    },
    ...project.atlases.filter((tab) => tab.id !== atlas.id).map((tab) => ({
      name: `Move islands to ${tab.name}`, group: "Atlases", hint: `${said}; the others stay`, enabled: true, run: () => actions.moveIslands.mutate({ atlas: tab.id, islands }),
    })),
    { name: "Let go of these islands", group: "Atlases", hint: "out of the atlas; they stay in the project, see Gather", enabled: true, run: () => actions.releaseIslands.mutate(islands) },
  ];
}

/** Everything that the command palette offers. */
export function allCommands(editor: Editor, actions: Actions, project: Project, atlas: Atlas): Command[] {
  const ui = useUi.getState();
  const count = editor.document.info?.world_area.length ?? 0;
  const chosen = editor.selection.list();
  const objectsOf = () => {
    const objects = new Set(chosen.map((i) => editor.document.objectOf(i)?.id));
    return (editor.document.info?.objects ?? []).filter((o) => objects.has(o.id)).flatMap((o) => Array.from({ length: o.islands }, (_, k) => o.first_island + k));
  };
  return [
    ...handCommands(editor, actions),
    ...islandCommands(editor, actions),
    ...objectCommands(editor, actions, project, atlas),
    { name: "Undo", group: "Layout", hint: project.undo, enabled: project.undo !== "", run: () => actions.undo.mutate() },
    { name: "Redo", group: "Layout", hint: project.redo, enabled: project.redo !== "", run: () => actions.redo.mutate() },
    { name: "New empty atlas", group: "Atlases", hint: "a further set of sheets in this project", enabled: true, run: () => actions.newAtlas.mutate({ name: nextName(project.atlases), objects: [] }, { onSuccess: ({ atlas: made }) => ui.goToAtlas(made) }) },
    ...project.atlases.filter((tab) => tab.id !== atlas.id).map((tab) => ({ name: `Go to ${tab.name}`, group: "Atlases", enabled: true, run: () => ui.goToAtlas(tab.id) })),
    { name: `Empty ${atlas.name}`, group: "Atlases", hint: "let go of all its objects; they stay in the project", enabled: count > 0, run: () => actions.releaseObjects.mutate((editor.document.info?.objects ?? []).map((o) => o.id)) },
    { name: "All steps", group: "Layout", hint: "look back, go back, name a step", enabled: true, run: () => ui.setSteps(true) },
    { name: "Drafts", group: "Layout", hint: "compare layouts and keep one", enabled: true, run: () => ui.setDrafts(true) },
    ...SNAPS.map((kind) => ({ name: `Snap to ${kind}`, group: "By hand", hint: "hold Alt while dragging to suspend it", enabled: true, on: editor.snap.isOn(kind), run: () => editor.snap.toggle(kind) })),
    { name: "Select all islands", group: "Select", enabled: count > 0, run: () => editor.select((s) => s.set(Array.from({ length: count }, (_, i) => i))) },
    { name: "Select all but these", group: "Select", enabled: count > 0, run: () => editor.select((s) => s.invert(count)) },
    { name: "Select the whole object", group: "Select", enabled: chosen.length > 0, run: () => editor.select((s) => s.set(objectsOf())) },
    { name: "Select nothing", group: "Select", enabled: chosen.length > 0, run: () => editor.select((s) => s.clear()) },
    { name: "Show what is selected", group: "View", enabled: chosen.length > 0, run: () => editor.frameSelection() },
    { name: "Show the whole table", group: "View", enabled: count > 0, run: () => editor.frameTable() },
    ...VIEWS.map((view) => ({ name: `View as ${view}`, group: "View", enabled: count > 0, on: editor.view.as === view, run: () => editor.setView(view) })),
    ...STAGES.map((stage) => ({ name: `Go to ${stage}`, group: "Stages", enabled: true, run: () => ui.setStage(stage) })),
    { name: ui.theme === "paper" ? "Night theme" : "Paper theme", group: "View", enabled: true, run: ui.toggleTheme },
  ];
}

/** Commands whose words all begin or hold what was typed, the best match first. */
export function matching(commands: Command[], typed: string): Command[] {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  const score = (c: Command) => {
    const text = `${c.name} ${c.group}`.toLowerCase();
    if (!words.every((w) => text.includes(w))) return -1;
    return words.length && c.name.toLowerCase().startsWith(words[0]) ? 2 : 1;
  };
  return commands.filter((c) => c.enabled && score(c) >= 0).sort((a, b) => score(b) - score(a));
}
