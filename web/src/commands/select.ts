import { CONTROLS, MEASURED } from "../editor/flags.generated";
import type { Project } from "../api/client";
import type { Editor } from "../editor/Editor";
import {
  crooked,
  innerOnes,
  islandsWhere,
  neighbours,
  sameDirection,
  sameGroup,
} from "../editor/selection/finders";
import { useUi } from "../state";
import { savedSelections } from "../editor/selection/saved";
import { EMPTY, lacking, SELECT_FIRST, type Command, type Need } from "./command";

const NO_GROUPS = "The file has no groups in these objects.";

/** What can be selected by what it is; each takes the place of what is selected. */
export function selectCommands(editor: Editor, project: Project): Command[] {
  const { document, selection } = editor;
  const picked = selection.list();
  const count = document.count;
  const any: Need = [count > 0, EMPTY];
  const some: Need = [picked.length > 0, SELECT_FIRST];
  const command = (
    id: string,
    label: string,
    hint: string,
    need: Need,
    found: () => Iterable<number>,
  ): Command => ({
    id,
    label,
    group: "Select",
    hint,
    lacks: lacking(any, need),
    run: () => editor.select((s) => s.set(found())),
  });
  const where = (id: string, label: string, hint: string, holds: (island: number) => boolean) =>
    command(id, label, hint, any, () => islandsWhere(editor, holds));
  const like = (id: string, label: string, hint: string, of: (island: number) => unknown) =>
    command(id, label, hint, some, () => {
      const wanted = new Set(picked.map(of));
      return islandsWhere(editor, (island) => wanted.has(of(island)));
    });
  const flag = (bit: number) => (island: number) => (document.flags(island) & bit) > 0;
  const said = (bit: number) => (island: number) => (document.control(island).flags & bit) > 0;
  const material = editor.figures.report?.island_material;
  return [
    command("select-all", "Select all islands", "", any, () => islandsWhere(editor, () => true)),
    command("select-others", "Select all but these", "", any, () =>
      islandsWhere(editor, (i) => !selection.has(i)),
    ),
    like(
      "select-object",
      "Select the whole object",
      "all islands of the objects that are selected",
      (i) => document.objectOf(i)?.id,
    ),
    ...(material
      ? [like("select-material", "Select the same material", "", (i) => material[i])]
      : []),
    command(
      "select-direction",
      "Select what looks the same way",
      "on the model, up to 25° off",
      some,
      () => sameDirection(editor, picked),
    ),
    {
      id: "select-group",
      label: "Select the same group",
      group: "Select",
      hint: "islands in the groups of the file that these are in",
      lacks: lacking(any, some),
      run: () =>
        void sameGroup(editor, picked).then((found) => {
          if (found.length) editor.select((s) => s.set(found));
          else useUi.getState().tell({ kind: "error", what: NO_GROUPS });
        }),
    },
    like("select-tile", "Select the same tile", "", (i) => document.model?.homes[i]),
    command(
      "select-bundle",
      "Select the whole bundle",
      "",
      [
        picked.some((i) => document.control(i).bundle >= 0),
        "None of those selected is in a bundle.",
      ],
      () => picked.flatMap((i) => document.mates("bundle", i)),
    ),
    command(
      "select-stack",
      "Select the whole stack",
      "",
      [picked.some((i) => document.control(i).stack >= 0), "None of those selected is in a stack."],
      () => picked.flatMap((i) => document.mates("stack", i)),
    ),
    where("select-mirrored", "Select what is mirrored", "", flag(MEASURED.mirrored)),
    where("select-overlapping", "Select what overlaps", "", flag(MEASURED.overlapping)),
    where("select-outside", "Select what is outside", "", flag(MEASURED.outside)),
    where(
      "select-side-table",
      "Select the side table",
      "what lies in no tile",
      flag(MEASURED.side_table),
    ),
    where(
      "select-locked",
      "Select what is locked",
      "place, rotation or size",
      said(CONTROLS.lock_place | CONTROLS.lock_rotation | CONTROLS.lock_size),
    ),
    command(
      "select-crooked",
      "Select what is crooked",
      "its main direction is off the axes",
      any,
      () => crooked(editor),
    ),
    command(
      "select-findings",
      "Select the findings",
      "islands that a finding speaks of",
      [editor.figures.report !== null, "The layout is not checked yet."],
      () => new Set(editor.figures.report!.findings.flatMap((f) => f.islands)),
    ),
    command("select-touching", "Grow to what touches", "and the islands beside them", some, () => [
      ...picked,
      ...neighbours(editor, picked),
    ]),
    command(
      "select-inner",
      "Shrink from the rim",
      "without those that others lie beside",
      some,
      () => innerOnes(editor, picked),
    ),
    command("select-none", "Select nothing", "", some, () => []),
    {
      id: "hide",
      label: "Hide these",
      group: "View",
      hint: "until they are shown again",
      lacks: lacking(some),
      run: () => editor.hide([...document.hidden, ...picked]),
    },
    {
      id: "hide-others",
      label: "Only these in sight",
      group: "View",
      hint: "all others are hidden",
      lacks: lacking(some),
      run: () =>
        editor.hide(Array.from({ length: count }, (_, i) => i).filter((i) => !selection.has(i))),
    },
    {
      id: "show-all",
      label: "Show all again",
      group: "View",
      hint: `${document.hidden.size} are hidden`,
      lacks: lacking([document.hidden.size > 0, "Nothing is hidden."]),
      run: () => editor.hide([]),
    },
    ...savedSelections(project.id).map(({ name, keys }) =>
      command(`select-saved-${name}`, `Select “${name}”`, "a selection that was saved", any, () =>
        document.withKeys(new Set(keys)),
      ),
    ),
  ];
}
