import { expect, it } from "vitest";
import { roundLength } from "./ruler";

it("rounds a length down to 1, 2 or 5 of a power of ten", () => {
  expect([0.013, 0.02, 0.9, 1, 4.99, 5, 72, 1234].map(roundLength)).toEqual(
    [0.01, 0.02, 0.5, 1, 2, 5, 50, 1000].map((one) => expect.closeTo(one, 9)),
  );
});
