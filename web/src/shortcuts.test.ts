import { beforeEach, expect, it, vi } from "vitest";

const kept = new Map<string, string>();
vi.stubGlobal("localStorage", {
  getItem: (k: string) => kept.get(k) ?? null,
  setItem: (k: string, v: string) => void kept.set(k, v),
  removeItem: (k: string) => void kept.delete(k),
});
const { commandFor, keyOf, keysOf, shownKeys, useKeys } = await import("./shortcuts");

const press = (key: string, more: object = {}) =>
  keyOf({ key, code: "", ctrlKey: false, metaKey: false, altKey: false, shiftKey: false, ...more });

beforeEach(() => useKeys.getState().reset());

it("names a key with its modifiers", () => {
  expect(press("z", { ctrlKey: true })).toBe("Ctrl+Z");
  expect(press("Z", { ctrlKey: true, shiftKey: true })).toBe("Ctrl+Shift+Z");
  expect(press("z", { metaKey: true })).toBe("Ctrl+Z");
  expect(press("?", { shiftKey: true })).toBe("?");
  expect(press("F3", { shiftKey: true })).toBe("Shift+F3");
  expect(press("¡", { altKey: true, code: "Digit1" })).toBe("Alt+1");
  expect(press("Shift", { shiftKey: true })).toBe("");
});

it("finds a command by its key, and gives no key to two of them at first", () => {
  expect(commandFor("Ctrl+Y", {})).toBe("redo");
  expect(commandFor("Ctrl+Q", {})).toBeUndefined();
  expect(commandFor("", { undo: "" })).toBeUndefined();
  const all = Object.values(keysOf({})).flatMap((keys) => keys.split(" "));
  expect(new Set(all).size).toBe(all.length);
});

it("takes a key from whoever had it, and remembers it", () => {
  useKeys.getState().set("fit-into-gaps", "Ctrl+Y");
  const { changed } = useKeys.getState();
  expect(commandFor("Ctrl+Y", changed)).toBe("fit-into-gaps");
  expect(commandFor("Ctrl+Shift+Z", changed)).toBe("redo");
  expect(commandFor("I", changed)).toBeUndefined();
  expect(JSON.parse(kept.get("quilt-shortcuts")!)).toEqual(changed);
  useKeys.getState().reset();
  expect(commandFor("I", useKeys.getState().changed)).toBe("fit-into-gaps");
  expect(shownKeys("Ctrl+ArrowUp [")).toBe("Ctrl+↑ or [");
});
