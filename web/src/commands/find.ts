import type { Atlas, Project, Shelf } from "../api/client";
import type { Editor } from "../editor/Editor";
import { groups } from "../editor/findings/walk";
import { keep, useUi } from "../state";
import type { Command } from "./command";

/** What there is to be found by name: objects, tiles, materials and findings. */
export function findCommands(
  editor: Editor,
  project: Project,
  atlas: Atlas,
  shelf: Shelf | undefined,
): Command[] {
  const { info, tiles } = editor.document;
  const several = project.atlases.length > 1;
  const select = (islands: number[]) => {
    editor.select((selection) => selection.set(islands));
    editor.frameSelection();
  };
  const objects = info?.objects ?? [];
  const islandsOf = (names: Set<string>) =>
    objects
      .filter((one) => names.has(one.name))
      .flatMap((one) => Array.from({ length: one.islands }, (_, k) => one.first_island + k));
  return [
    ...objects.map((one) => ({
      id: `find-object-${one.id}-${one.first_island}`,
      label: one.name,
      group: several ? `Object in ${atlas.name}` : "Object",
      hint: one.islands ? "select its islands" : "show it in the model: it has no UVs",
      lacks: "",
      aside: true,
      run: () => {
        if (one.islands) return select(islandsOf(new Set([one.name])));
        useUi.getState().setFilter(one.name);
        editor.lookAtModel(one.name);
      },
    })),
    ...tiles.map((tile) => ({
      id: `find-tile-${tile.number}`,
      label: `Tile ${tile.number}${tile.label ? `, ${tile.label}` : ""}`,
      group: "Tile",
      hint: "show it on the table",
      lacks: "",
      aside: true,
      run: () => editor.frameTile(tile.number),
    })),
    ...(shelf?.materials ?? []).map((row) => ({
      id: `find-material-${row.source}-${row.number}`,
      label: row.name,
      group: "Material",
      hint: "select the islands of its objects",
      lacks: "",
      aside: true,
      run: () => select(islandsOf(new Set(row.objects))),
    })),
    ...(editor.figures.report ? groups(editor.figures.report) : []).flatMap((group) =>
      group.findings.slice(0, 20).map((finding, k) => ({
        id: `find-finding-${group.kind}-${k}`,
        label: `${finding.kind}: ${finding.object}`,
        group: "Finding",
        hint: finding.text,
        lacks: "",
        aside: true,
        run: () => {
          useUi.getState().setStage("Check");
          keep("check part", "Findings");
          editor.showFinding(finding);
        },
      })),
    ),
  ];
}
