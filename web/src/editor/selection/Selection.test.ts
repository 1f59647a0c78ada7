import { expect, it } from "vitest";
import { Selection } from "./Selection";

it("adds a group that is partly selected and removes one that is wholly selected", () => {
  const selection = new Selection();
  selection.set([1]);
  selection.toggle([1, 2]);
  expect(selection.list()).toEqual([1, 2]);
  selection.toggle([1, 2]);
  expect(selection.size).toBe(0);
});

it("inverts", () => {
  const selection = new Selection();
  selection.set([0, 3]);
  selection.invert(5);
  expect(selection.list()).toEqual([1, 2, 4]);
});
