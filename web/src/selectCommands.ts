import type { Project } from "./api/client";
import type { Command } from "./commands";
import { CONTROL } from "./editor/document/LayoutDocument";
import type { Editor } from "./editor/Editor";
import { crooked, innerOnes, islandsWhere, neighbours } from "./editor/selection/finders";
import { savedSelections } from "./editor/selection/saved";
import { FLAGS } from "./editor/style/islandStyle";

/** What can be selected by what it is; each takes the place of what is selected. */
export function selectCommands(editor: Editor, project: Project): Command[] {
  const { document, selection } = editor;
  const picked = selection.list();
  const count = document.count;
  const some = picked.length > 0;
  const command = (
    name: string,
    hint: string,
    enabled: boolean,
    found: () => Iterable<number>,
  ): Command => ({
    name,
    group: "Select",
    hint,
    enabled,
    run: () => editor.select((s) => s.set(found())),
  });
  const where = (name: string, hint: string, holds: (island: number) => boolean) =>
    command(name, hint, count > 0, () => islandsWhere(editor, holds));
  const like = (name: string, hint: string, of: (island: number) => unknown) =>
    command(name, hint, some, () => {
      const wanted = new Set(picked.map(of));
      return islandsWhere(editor, (island) => wanted.has(of(island)));
    });
  const flag = (bit: number) => (island: number) => (document.flags(island) & bit) > 0;
  const said = (bit: number) => (island: number) => (document.control(island).flags & bit) > 0;
  const material = editor.figures.proof?.island_material;
  return [
    command("Select all islands", "", count > 0, () => islandsWhere(editor, () => true)),
    command("Select all but these", "", count > 0, () =>
      islandsWhere(editor, (i) => !selection.has(i)),
    ),
    like(
      "Select the whole object",
      "all islands of the objects that are selected",
      (i) => document.objectOf(i)?.id,
    ),
    ...(material ? [like("Select the same material", "", (i) => material[i])] : []),
    like("Select the same tile", "", (i) => document.model?.homes[i]),
    command(
      "Select the whole bundle",
      "",
      picked.some((i) => document.control(i).bundle >= 0),
      () => picked.flatMap((i) => document.mates("bundle", i)),
    ),
    command(
      "Select the whole stack",
      "",
      picked.some((i) => document.control(i).stack >= 0),
      () => picked.flatMap((i) => document.mates("stack", i)),
    ),
    where("Select what is mirrored", "", flag(FLAGS.mirrored)),
    where("Select what overlaps", "", flag(FLAGS.overlapping)),
    where("Select what is outside", "", flag(FLAGS.outside)),
    where("Select the side table", "what lies in no tile", flag(FLAGS.sideTable)),
    where(
      "Select what is locked",
      "place, rotation or size",
      said(CONTROL.place | CONTROL.turn | CONTROL.size),
    ),
    command("Select what is crooked", "its main direction is off the axes", count > 0, () =>
      crooked(editor),
    ),
    command(
      "Select the findings",
      "islands that a finding speaks of",
      editor.figures.proof !== null,
      () => new Set(editor.figures.proof!.findings.flatMap((f) => f.islands)),
    ),
    command("Grow to what touches", "and the islands beside them", some, () => [
      ...picked,
      ...neighbours(editor, picked),
    ]),
    command("Shrink from the rim", "without those that others lie beside", some, () =>
      innerOnes(editor, picked),
    ),
    command("Select nothing", "", some, () => []),
    {
      name: "Hide these",
      group: "View",
      hint: "until they are shown again",
      enabled: some,
      run: () => editor.hide([...document.hidden, ...picked]),
    },
    {
      name: "Only these in sight",
      group: "View",
      hint: "all others are hidden",
      enabled: some,
      run: () =>
        editor.hide(Array.from({ length: count }, (_, i) => i).filter((i) => !selection.has(i))),
    },
    {
      name: "Show all again",
      group: "View",
      hint: `${document.hidden.size} are hidden`,
      enabled: document.hidden.size > 0,
      run: () => editor.hide([]),
    },
    ...savedSelections(project.id).map(({ name, keys }) =>
      command(`Select “${name}”`, "a selection that was saved", count > 0, () =>
        document.withKeys(new Set(keys)),
      ),
    ),
  ];
}
