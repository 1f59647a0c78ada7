// @vitest-environment happy-dom
import { beforeEach, expect, it } from "vitest";
import type { Operation } from "../api/client";
import { geometry, info, still } from "../editor/layout.samples";
import { Editor } from "../editor/Editor";
import { findCommands } from "./find";
import { matching } from "./matching";
import { menuCommands } from "./menu";
import { operationCommands, settingCommands } from "./operations";

const project = { atlases: [{ id: 2, name: "props A" }] } as never;
const atlas = { id: 2, name: "props A" } as never;
const acting = { act: () => {}, busy: () => false };
const operations = [
  {
    name: "pack",
    help: "Pack islands.",
    synonyms: [],
    options: [
      { name: "padding", help: "smallest gap", passing: false },
      { name: "islands", help: "which", passing: true },
    ],
  },
  { name: "report", help: "Write a report.", synonyms: [], options: [{ name: "format" }] },
] as never as Operation[];

let editor: Editor;
beforeEach(() => {
  editor = new Editor();
  editor.camera.resize(500, 400);
  editor.show(info(), still, geometry);
});

it("has no command twice in the menu, and what is done by hand first", () => {
  editor.select((s) => s.set([0]));
  const ids = menuCommands(editor, acting, project, atlas).map((one) => one.id);
  expect(new Set(ids).size).toBe(ids.length);
  expect(ids.slice(0, 4)).toEqual(["turn-left", "turn-right", "mirror-across", "mirror-up"]);
});

it("offers settings that have a field, none that only pass on what is selected", () => {
  const ids = settingCommands(operations).map((one) => one.id);
  expect(ids).toContain("setting-pack-padding");
  expect(ids).not.toContain("setting-pack-islands");
  expect(ids.filter((id) => id.startsWith("setting-report"))).toEqual([]);
});

it("puts what can be done before settings and things of the same name", () => {
  const all = [...settingCommands(operations), ...operationCommands(operations)];
  expect(matching(all, "pack").map((one) => one.id)[0]).toBe("operation-pack");
  expect(matching(all, "").some((one) => one.aside)).toBe(false);
});

it("finds objects and tiles by name, and shows them", () => {
  const found = findCommands(editor, project, atlas, undefined);
  found.find((one) => one.label === "Crate")!.run();
  expect(editor.selection.list()).toEqual([0, 1]);
  const before = editor.camera.x;
  found.find((one) => one.label.startsWith("Tile 1001"))!.run();
  expect(editor.camera.x).not.toBe(before);
});
