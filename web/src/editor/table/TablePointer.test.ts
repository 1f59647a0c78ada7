import { expect, it, vi } from "vitest";
import { TableCamera } from "../camera/TableCamera";
import type { Editor } from "../Editor";
import { Selection } from "../selection/Selection";
import { TablePointer } from "./TablePointer";

function setUp() {
  const selection = new Selection();
  const editor = {
    camera: new TableCamera(),
    selection,
    document: { model: { islandAt: () => 3, islandsIn: () => [1, 2] } },
    select: (change: (s: Selection) => void) => change(selection),
    hover: vi.fn(),
    drawn: vi.fn(),
  };
  return { editor, pointer: new TablePointer(editor as unknown as Editor) };
}

it("picks with a click and adds with a modifier", () => {
  const { editor, pointer } = setUp();
  pointer.down(10, 10, 0, false);
  pointer.up(11, 10);
  expect(editor.selection.list()).toEqual([3]);
  pointer.down(10, 10, 0, true);
  pointer.up(10, 10);
  expect(editor.selection.list()).toEqual([]);
});

it("draws a box when dragged and selects what it meets", () => {
  const { editor, pointer } = setUp();
  pointer.down(0, 0, 0, false);
  pointer.move(40, 30);
  expect(pointer.state.kind).toBe("marquee");
  pointer.up(40, 30);
  expect(editor.selection.list()).toEqual([1, 2]);
  expect(pointer.state.kind).toBe("idle");
});

it("moves the view with the middle button", () => {
  const { editor, pointer } = setUp();
  const before = editor.camera.x;
  pointer.down(0, 0, 1, false);
  pointer.move(50, 0);
  expect(editor.camera.x).toBeLessThan(before);
});
