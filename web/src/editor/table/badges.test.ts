import { CONTROLS } from "../flags.generated";
import { expect, it } from "vitest";
import { badges, inReach } from "./badges";

it("shows each control as one badge", () => {
  expect(badges(0, 0, 0)).toEqual([]);
  expect(badges(CONTROLS.lock_place | CONTROLS.lock_size, 0, 0)).toEqual(["p", "s"]);
  expect(badges(CONTROLS.lock_rotation | CONTROLS.may_flip | CONTROLS.leave_out, 1012, 3)).toEqual([
    "t",
    "m",
    "o",
    "3×",
    "1012",
  ]);
});

it("threads a bundle from one island to the nearest", () => {
  expect(
    inReach([
      [0, 0],
      [9, 0],
      [2, 0],
      [5, 0],
    ]),
  ).toEqual([
    [0, 0],
    [2, 0],
    [5, 0],
    [9, 0],
  ]);
  expect(inReach([])).toEqual([]);
});
