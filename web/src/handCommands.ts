import type { Actions } from "./api/hooks";
import type { Command } from "./commands";
import type { Bounds } from "./editor/affine/affine";
import type { Editor } from "./editor/Editor";
import { nearestOf } from "./editor/geometry/distance";
import { longestDirection, toAxis } from "./editor/geometry/upright";
import { moving, placementOf, sizing, turning, type Transform } from "./editor/geometry/transform";
import { sizeOf } from "./editor/selection/finders";
import { FLAGS } from "./editor/style/islandStyle";
import { aroundAxis, onModel } from "./editor/surface/surface";
import { SIDE_TABLE } from "./editor/table/paper";
import { aligned, inOrder, inRow, laidOut, swapped } from "./editor/tools/arrange";
import type { Verb } from "./editor/tools/Gesture";
import { CONTROL } from "./editor/document/LayoutDocument";

const middleOf = (b: Bounds): [number, number] => [(b.minX + b.maxX) / 2, (b.minY + b.maxY) / 2];

/** A place that was taken down with “Note the place”. */
let noted: [number, number] | null = null;

/** What can be done by hand to the selected islands, in one step each. */
export function handCommands(editor: Editor, actions: Actions): Command[] {
  return [
    ...turnCommands(editor),
    ...roomCommands(editor, actions),
    ...rowCommands(editor),
    ...goCommands(editor),
  ];
}

function turnCommands(editor: Editor): Command[] {
  const frame = editor.frame;
  const some = frame !== null && editor.handsOn;
  const middle = frame ? middleOf(frame) : ([0, 0] as [number, number]);
  const act = (name: string, verb: Verb, by: () => Transform): Command => ({
    name,
    group: "By hand",
    enabled: some,
    run: () => void editor.transform(verb, by()),
  });
  const each = (
    name: string,
    hint: string,
    verb: Verb,
    by: (island: number, box: Bounds) => Transform,
  ): Command => ({
    name,
    group: "By hand",
    hint,
    enabled: some,
    run: () =>
      void editor.moveEach(
        (boxes, islands) => islands.map((island, k) => by(island, boxes[k])),
        verb,
      ),
  });
  const densest = editor.selection
    .list()
    .reduce((most, island) => Math.max(most, editor.document.density(island) ?? 0), 0);
  return [
    act("Quarter turn to the left", "turn", () => turning(Math.PI / 2, middle)),
    act("Quarter turn to the right", "turn", () => turning(-Math.PI / 2, middle)),
    act("Half turn", "turn", () => turning(Math.PI, middle)),
    act("Mirror left and right", "mirror", () => sizing(-1, 1, middle)),
    act("Mirror up and down", "mirror", () => sizing(1, -1, middle)),
    each(
      "Each upright by its longest edge",
      "the shortest turn that brings it to an axis",
      "turn",
      (island, box) =>
        turning(
          toAxis(longestDirection(editor.document.model!.edgesOf(island)) ?? 0),
          middleOf(box),
        ),
    ),
    {
      name: "Upright by the edge at the pointer",
      group: "By hand",
      hint: "all that is selected turns until that edge lies along an axis",
      enabled: some && edgeAtPointer(editor) !== null,
      run: () => void editor.transform("turn", turning(toAxis(edgeAtPointer(editor) ?? 0), middle)),
    },
    each(
      "Each so that up stays up",
      "what is up on the model is up on the tile",
      "turn",
      (island, box) => turning(upOn(editor, island), middleOf(box)),
    ),
    each(
      "Same density as the densest of these",
      densest > 0 ? `${Math.round(densest)} px/m, each about its middle` : "",
      "size",
      (island, box) => {
        const factor = densest / (editor.document.density(island) ?? densest);
        return sizing(factor, factor, middleOf(box));
      },
    ),
  ];
}

/** Direction of the outline edge nearest to the pointer, of the selected islands; null when none is near. */
function edgeAtPointer(editor: Editor): number | null {
  const { last } = editor.tools;
  const { model } = editor.document;
  if (!last || !model) return null;
  const point = [last.x, last.y, last.x, last.y];
  let best: { distance: number; angle: number } | null = null;
  for (const island of editor.selection.list()) {
    const b = model.bounds[island];
    const reach = 40 / editor.camera.scale;
    if (
      last.x < b.minX - reach ||
      last.x > b.maxX + reach ||
      last.y < b.minY - reach ||
      last.y > b.maxY + reach
    )
      continue;
    const edges = model.edgesOf(island);
    for (let k = 0; k < edges.length; k += 4) {
      const found = nearestOf(point, 0, edges, k, best?.distance ?? reach);
      if (found)
        best = {
          distance: found.distance,
          angle: Math.atan2(edges[k + 3] - edges[k + 1], edges[k + 2] - edges[k]),
        };
    }
  }
  return best && best.angle;
}

/** Turn, in radians to the left, after which the way up on the model points up on the sheet. */
function upOn(editor: Editor, island: number): number {
  const { geometry, model } = editor.document;
  const way = geometry && onModel(geometry).get(island);
  if (!way || Math.hypot(way.upU, way.upV) < 1e-9) return 0;
  const [a, b, , c, d] = placementOf(model!.placements, island);
  // A gradient goes with the inverse transpose of the placement.
  const det = a * d - b * c;
  const x = (d * way.upU - c * way.upV) / det;
  const y = (-b * way.upU + a * way.upV) / det;
  const turn = Math.PI / 2 - Math.atan2(y, x);
  const quarter = Math.PI / 2;
  // What nearly is a quarter turn is one.
  return Math.abs(turn / quarter - Math.round(turn / quarter)) < 0.02
    ? Math.round(turn / quarter) * quarter
    : turn;
}

function roomCommands(editor: Editor, actions: Actions): Command[] {
  const islands = editor.selection.list();
  const some = islands.length > 0 && editor.handsOn && editor.document.model !== null;
  const tile = tileInSight(editor);
  const here = editor.tools.last;
  const under = here ? editor.document.map.tileAt(here.x, here.y) : 0;
  const shrink = (percent: number): Command => ({
    name: `Shrink by ${percent} %`,
    group: "By hand",
    hint: `all islands of tile ${tile}, about its middle`,
    enabled: editor.handsOn && editor.document.count > 0,
    run: () => shrinkBy(editor, tile, percent),
  });
  const next = nextUnplaced(editor);
  return [
    ...(["down", "up", "left", "right"] as const).map((direction) => ({
      name: `Slide ${direction} to contact`,
      group: "By hand",
      hint: "slide until it touches at the padding",
      enabled: some && !actions.slide.isPending,
      run: () => actions.slide.mutate({ islands, direction }),
    })),
    {
      name: "Slide each down to contact",
      group: "By hand",
      hint: "one after the other, as if falling",
      enabled: some && islands.length > 1 && !actions.slide.isPending,
      run: () => actions.slide.mutate({ islands, direction: "down", each: true }),
    },
    {
      name: "Fit into gaps",
      group: "By hand",
      hint: `each into the most snug free spot of tile ${tile}`,
      enabled: some && !actions.fitIntoGaps.isPending,
      run: () => actions.fitIntoGaps.mutate({ islands, tile }),
    },
    {
      name: "Fit into gaps at the pointer",
      group: "By hand",
      hint: "the free spot nearest to the pointer",
      enabled: some && under > 0 && !actions.fitIntoGaps.isPending,
      run: () =>
        actions.fitIntoGaps.mutate({
          islands,
          tile: under,
          near: editor.document.map.inPx(under, here!.x, here!.y),
        }),
    },
    {
      name: "Fit into gaps as one block",
      group: "By hand",
      hint: "all together as they lie, where it is most snug",
      enabled: some && islands.length > 1 && !actions.fitIntoGaps.isPending,
      run: () => actions.fitIntoGaps.mutate({ islands, tile, block: true }),
    },
    {
      name: "Make room",
      group: "By hand",
      hint: "neighbours that are too near step aside, just enough",
      enabled: some && !actions.makeRoom.isPending,
      run: () => actions.makeRoom.mutate(islands),
    },
    {
      name: "Shrink to fit the gaps",
      group: "By hand",
      hint: islands.length
        ? "the selected islands, each about its middle"
        : "all islands, each about its middle",
      enabled: editor.handsOn && editor.document.count > 0 && !actions.shrinkToFit.isPending,
      run: () => actions.shrinkToFit.mutate(islands),
    },
    ...[1, 2, 5].map(shrink),
    {
      name: "Next from side table",
      group: "By hand",
      hint:
        next < 0
          ? "nothing lies on the side table"
          : `${editor.document.objectOf(next)?.name} ${editor.document.number(next)}, the largest on the side table`,
      enabled: editor.handsOn && next >= 0,
      run: () => void takeNext(editor),
    },
  ];
}

/** All islands of a tile together about its middle, smaller by a percentage; what is selected stays so. */
export function shrinkBy(editor: Editor, tile: number, percent: number): void {
  const { map, model, count } = editor.document;
  const before = editor.selection.list();
  const factor = 1 - percent / 100;
  editor.select((s) =>
    s.set(Array.from({ length: count }, (_, i) => i).filter((i) => model?.homes[i] === tile)),
  );
  void editor.transform("size", sizing(factor, factor, middleOf(map.sheet(tile))));
  editor.select((s) => s.set(before));
}

/** The largest island on the side table that may be moved; -1 for none. */
export function nextUnplaced(editor: Editor): number {
  const waiting = editor.document
    .flagged(FLAGS.sideTable)
    .filter((island) => !(editor.document.control(island).flags & (CONTROL.place | CONTROL.out)));
  return waiting.reduce(
    (best, island) => (best < 0 || sizeOf(editor, island) > sizeOf(editor, best) ? island : best),
    -1,
  );
}

export function takeNext(editor: Editor): boolean {
  const next = nextUnplaced(editor);
  if (next < 0) return false;
  editor.select((s) => s.set([next]));
  return editor.tools.carry();
}

/** The highest first. */
const bySize = (boxes: Bounds[]) =>
  boxes
    .map((_, k) => k)
    .sort((a, b) => boxes[b].maxY - boxes[b].minY - (boxes[a].maxY - boxes[a].minY));

/** The tile that the middle of the view lies on, else that of the selected islands, else the first. */
export function tileInSight(editor: Editor): number {
  const { map, tiles, model } = editor.document;
  const picked = editor.selection.list();
  const home = picked.length && model ? model.homes[picked[0]] : 0;
  return home || map.tileAt(editor.camera.x, editor.camera.y) || tiles[0].number;
}

function rowCommands(editor: Editor): Command[] {
  const several = editor.frame !== null && editor.handsOn && editor.selection.size > 1;
  const { document } = editor;
  const row = (
    name: string,
    hint: string,
    work: (boxes: Bounds[], islands: number[]) => Transform[],
  ): Command => ({
    name,
    group: "By hand",
    hint,
    enabled: several,
    run: () => void editor.moveEach(work),
  });
  const ordered =
    (key: (island: number, k: number, all: number[]) => number) =>
    (boxes: Bounds[], islands: number[]) => {
      const keys = islands.map(key);
      return inOrder(
        boxes,
        islands.map((_, k) => k).sort((a, b) => keys[a] - keys[b]),
        "across",
        document.padding / document.map.pxPerUnit(document.model!.homes[islands[0]]),
      );
    };
  const ring = (boxes: Bounds[], islands: number[]) => {
    const places = onModel(document.geometry!);
    const angles = aroundAxis(islands.map((island) => places.get(island) ?? { x: 0, z: 0 }));
    return ordered((_, k) => angles[k])(boxes, islands);
  };
  return [
    ...(["left", "right", "top", "bottom", "middle across", "middle up"] as const).map((edge) =>
      row(
        edge.startsWith("middle") ? `Middles in line, ${edge.slice(7)}` : `In line at the ${edge}`,
        "all that are selected",
        (boxes) => aligned(boxes, edge),
      ),
    ),
    ...(["across", "up"] as const).map((along) =>
      row(`In a row ${along}`, "one behind the other, the padding between them", (boxes, islands) =>
        inRow(
          boxes,
          along,
          document.padding / document.map.pxPerUnit(document.model!.homes[islands[0]]),
        ),
      ),
    ),
    row(
      "In a row by size",
      "the largest first",
      ordered((island) => -sizeOf(editor, island)),
    ),
    row(
      "In a row by name",
      "by object and number",
      ordered((island) => island),
    ),
    row("In a row round an axis", "pieces of a ring in their order on the model", ring),
    {
      name: "Swap places",
      group: "By hand",
      hint: "of two islands, middle for middle",
      enabled: several && editor.selection.size === 2,
      run: () =>
        void editor.moveEach((boxes) =>
          boxes.length === 2 ? swapped(boxes) : boxes.map(() => moving(0, 0)),
        ),
    },
  ];
}

function goCommands(editor: Editor): Command[] {
  const frame = editor.frame;
  const some = frame !== null && editor.handsOn;
  const { map, tiles } = editor.document;
  const middle = frame ? middleOf(frame) : ([0, 0] as [number, number]);
  const act = (name: string, hint: string, by: () => Transform): Command => ({
    name,
    group: "By hand",
    hint,
    enabled: some,
    run: () => void editor.transform("move", by()),
  });
  const place = () => {
    const [w, h] = map.first;
    return { minX: w * SIDE_TABLE.left, maxX: w * SIDE_TABLE.right, minY: 0, maxY: h };
  };
  const between = () => Math.max(editor.document.padding, 8) / map.pxPerUnit(0);
  // One island keeps its height, several are laid out in rows, under those that lie there.
  const aside = (boxes: Bounds[], islands: number[]) => {
    const own = new Set(islands);
    const there = editor.document
      .flagged(FLAGS.sideTable)
      .filter((island) => !own.has(island))
      .map((island) => editor.document.model!.bounds[island]);
    const { minX, maxX, maxY } = place();
    const top = there.reduce((low, b) => Math.min(low, b.minY - between()), maxY);
    return laidOut(boxes, bySize(boxes), { minX, maxX, minY: 0, maxY: top }, between());
  };
  const toTile = (number: number) => () => {
    const sheet = map.sheet(number);
    const from = map.tileAt(...middle);
    const home = from ? map.sheet(from) : null;
    // To the same place of another sheet; from beside the sheets to its middle.
    return home
      ? moving(sheet.minX - home.minX, sheet.minY - home.minY)
      : moving(
          (sheet.minX + sheet.maxX) / 2 - middle[0],
          (sheet.minY + sheet.maxY) / 2 - middle[1],
        );
  };
  const waiting = editor.document.flagged(FLAGS.sideTable);
  const tidy = (
    name: string,
    order: (boxes: Bounds[], islands: number[]) => number[],
  ): Command => ({
    name,
    group: "Side table",
    hint: "in rows beside the tiles",
    enabled: editor.handsOn && waiting.length > 0,
    run: () => {
      const before = editor.selection.list();
      editor.select((s) => s.set(waiting));
      void editor.moveEach((boxes, islands) =>
        laidOut(boxes, order(boxes, islands), place(), between()),
      );
      editor.select((s) => s.set(before));
    },
  });
  return [
    {
      name: "To the side table",
      group: "By hand",
      hint: "in rows beside the tiles, the largest first",
      enabled: some,
      run: () => void editor.moveEach(aside),
    },
    ...tiles.map((tile) => act(`To tile ${tile.number}`, "", toTile(tile.number))),
    ...(
      [
        ["right", 1, 0],
        ["left", -1, 0],
        ["up", 0, 1],
        ["down", 0, -1],
      ] as const
    ).map(([way, x, y]) =>
      act(`One whole tile ${way}`, "to the same place of the next tile", () =>
        moving(x * map.pitch[0], y * map.pitch[1]),
      ),
    ),
    {
      name: "Note the place",
      group: "By hand",
      hint: "of the middle of what is selected",
      enabled: some,
      run: () => {
        noted = middle;
      },
    },
    act("Lay at the noted place", "middle on middle", () =>
      noted ? moving(noted[0] - middle[0], noted[1] - middle[1]) : moving(0, 0),
    ),
    {
      name: editor.view.sideFolded ? "Unfold the side table" : "Fold the side table",
      group: "Side table",
      hint: "the tiles get its room",
      enabled: editor.document.count > 0,
      run: () => editor.foldSide(!editor.view.sideFolded),
    },
    tidy("Tidy the side table by size", bySize),
    tidy("Tidy the side table by object", (_, islands) => islands.map((_, k) => k)),
  ];
}
