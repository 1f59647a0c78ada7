import { expect, it, vi } from "vitest";
import { islandCommands, matching, type Command } from "./commands";
import type { Editor } from "./editor/Editor";

vi.mock("./state", () => ({
  STAGES: [],
  nextName: () => "props B",
  useUi: { getState: () => ({}) },
}));

const controls: Record<number, { flags: number; tile: number; bundle: number; stack: number }> = {
  0: { flags: 1, tile: 0, bundle: 2, stack: -1 },
  1: { flags: 1, tile: 1001, bundle: 2, stack: -1 },
  2: { flags: 0, tile: 0, bundle: -1, stack: -1 },
};

function setUp(picked: number[]) {
  const mutate = vi.fn();
  const editor = {
    selection: { list: () => picked },
    document: {
      info: null,
      control: (i: number) => controls[i],
      mates: () => [0, 1],
      tiles: [{ number: 1001 }, { number: 1002 }],
    },
  } as unknown as Editor;
  const commands = islandCommands(editor, { control: { mutate, isPending: false } } as never);
  return { mutate, by: (name: string) => commands.find((c) => c.name === name)! };
}

it("locks islands, and unlocks them when all are locked", () => {
  const mixed = setUp([0, 2]);
  mixed.by("Lock place").run();
  expect(mixed.mutate).toHaveBeenCalledWith({ islands: [0, 2], lock_place: true });
  const locked = setUp([0, 1]);
  expect(locked.by("Lock place").on).toBe(true);
  locked.by("Lock place").run();
  expect(locked.mutate).toHaveBeenCalledWith({ islands: [0, 1], lock_place: false });
});

it("takes the whole bundle apart from any of its islands", () => {
  const one = setUp([1]);
  expect(one.by("Bundle").enabled).toBe(false);
  one.by("Take bundle apart").run();
  expect(one.mutate).toHaveBeenCalledWith({ islands: [0, 1], bundle: false });
});

it("offers nothing when nothing is selected, and each tile when something is", () => {
  expect(setUp([]).by("Lock rotation").enabled).toBe(false);
  const some = setUp([2]);
  some.by("Send to tile 1002").run();
  expect(some.mutate).toHaveBeenCalledWith({ islands: [2], tile: 1002 });
  expect(some.by("Let go to any tile").enabled).toBe(false);
});

it("finds commands by the words that were typed", () => {
  const list = ["Lock place", "Lock rotation", "Undo"].map((name): Command => ({
    name,
    group: "Islands",
    enabled: name !== "Lock rotation",
    run: () => undefined,
  }));
  expect(matching(list, "lo").map((c) => c.name)).toEqual(["Lock place"]);
  expect(matching(list, "islands un").map((c) => c.name)).toEqual(["Undo"]);
});
