import * as format from "../format";
import type { Bounds } from "../editor/affine/affine";
import type { Editor } from "../editor/Editor";
import { nearestOf } from "../editor/geometry/distance";
import { placementOf, sizing, turning, type Transform } from "../editor/geometry/transform";
import { longestDirection, toAxis } from "../editor/geometry/upright";
import { onModel } from "../editor/surface/surface";
import type { Verb } from "../editor/tools/Gesture";
import { lacking, middleOf, movable, type Command } from "./command";

/** Turns and mirrors of what is selected. */
export function turnCommands(editor: Editor): Command[] {
  const frame = editor.frame;
  const needs = movable(editor);
  const middle = frame ? middleOf(frame) : ([0, 0] as [number, number]);
  const act = (id: string, label: string, verb: Verb, by: () => Transform): Command => ({
    id,
    label,
    group: "By hand",
    lacks: lacking(...needs),
    run: () => void editor.transform(verb, by()),
  });
  const each = (
    id: string,
    label: string,
    hint: string,
    verb: Verb,
    by: (island: number, box: Bounds) => Transform,
  ): Command => ({
    id,
    label,
    group: "By hand",
    hint,
    lacks: lacking(...needs),
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
    act("turn-left", "Quarter turn to the left", "turn", () => turning(Math.PI / 2, middle)),
    act("turn-right", "Quarter turn to the right", "turn", () => turning(-Math.PI / 2, middle)),
    act("turn-half", "Half turn", "turn", () => turning(Math.PI, middle)),
    act("mirror-across", "Mirror left and right", "mirror", () => sizing(-1, 1, middle)),
    act("mirror-up", "Mirror up and down", "mirror", () => sizing(1, -1, middle)),
    each(
      "upright-each",
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
      id: "upright-at-pointer",
      label: "Upright by the edge at the pointer",
      group: "By hand",
      hint: "all that is selected turns until that edge lies along an axis",
      lacks: lacking(...needs, [
        edgeAtPointer(editor) !== null,
        "Hold the pointer over an edge of a selected island.",
      ]),
      run: () => void editor.transform("turn", turning(toAxis(edgeAtPointer(editor) ?? 0), middle)),
    },
    each(
      "upright-as-model",
      "Each so that up stays up",
      "what is up on the model is up on the tile",
      "turn",
      (island, box) => turning(upOn(editor, island), middleOf(box)),
    ),
    each(
      "same-density",
      "Same density as the densest of these",
      densest > 0 ? `${format.densityIn(densest)}, each about its middle` : "",
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
