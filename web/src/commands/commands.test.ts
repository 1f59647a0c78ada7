import { expect, it, vi } from "vitest";
import type { Editor } from "../editor/Editor";
import type { Command } from "./command";
import { islandCommands } from "./island";
import { matching } from "./matching";

vi.mock("../state", () => ({
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
  const act = vi.fn();
  const editor = {
    selection: { list: () => picked },
    document: {
      info: null,
      control: (i: number) => controls[i],
      mates: () => [0, 1],
      tiles: [{ number: 1001 }, { number: 1002 }],
    },
  } as unknown as Editor;
  const commands = islandCommands(editor, { act, busy: () => false });
  return { act, by: (id: string) => commands.find((c) => c.id === id)! };
}

it("locks islands, and unlocks them when all are locked", () => {
  const mixed = setUp([0, 2]);
  mixed.by("lock-place").run();
  expect(mixed.act).toHaveBeenCalledWith("control", { islands: [0, 2], lock_place: true });
  const locked = setUp([0, 1]);
  expect(locked.by("lock-place").on).toBe(true);
  locked.by("lock-place").run();
  expect(locked.act).toHaveBeenCalledWith("control", { islands: [0, 1], lock_place: false });
});

it("takes the whole bundle apart from any of its islands", () => {
  const one = setUp([1]);
  expect(one.by("bundle").lacks).not.toBe("");
  one.by("unbundle").run();
  expect(one.act).toHaveBeenCalledWith("control", { islands: [0, 1], bundle: false });
});

it("offers nothing when nothing is selected, and each tile when something is", () => {
  expect(setUp([]).by("lock-rotation").lacks).not.toBe("");
  const some = setUp([2]);
  some.by("send-to-tile-1002").run();
  expect(some.act).toHaveBeenCalledWith("control", { islands: [2], tile: 1002 });
  expect(some.by("any-tile").lacks).not.toBe("");
});

it("says why something cannot be done", () => {
  expect(setUp([]).by("lock-rotation").lacks).toBe("Select islands first.");
  expect(setUp([1]).by("stack").lacks).toBe("Select two islands or more first.");
  expect(setUp([2]).by("unstack").lacks).toBe("None of those selected is in a stack.");
  expect(setUp([2]).by("lock-rotation").lacks).toBe("");
});

const command = (id: string, label: string, lacks = ""): Command => ({
  id,
  label,
  group: "Islands",
  lacks,
  run: () => undefined,
});
const list = [
  command("lock-place", "Lock place"),
  command("lock-rotation", "Lock rotation", "Select islands first."),
  command("undo", "Undo"),
  command("join", "Join along selected edges"),
  command("mirror-across", "Mirror left and right"),
];
const found = (typed: string) => matching(list, typed).map((c) => c.id);

it("finds commands by the words that were typed; those that cannot be done come last", () => {
  expect(found("lock")).toEqual(["lock-place", "lock-rotation"]);
  expect(found("islands un")).toEqual(["undo"]);
  expect(found("")).not.toContain("lock-rotation");
});

it("finds them by trade words", () => {
  expect(found("stitch")).toEqual(["join"]);
  expect(found("sew")).toEqual(["join"]);
  expect(found("flip")).toEqual(["mirror-across"]);
});
