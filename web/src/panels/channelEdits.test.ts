import { expect, it } from "vitest";
import { editText } from "./channelEdits";

it("says an edit of channels as the server takes it", () => {
  expect(editText({ kind: "copy", one: 1, two: 2 })).toBe("copy 1=2");
  expect(editText({ kind: "swap", one: 1, two: 2 })).toBe("swap 1,2");
  expect(editText({ kind: "delete", one: 3, two: 0 })).toBe("delete 3");
});
