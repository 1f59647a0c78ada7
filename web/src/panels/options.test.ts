import { describe, expect, it } from "vitest";
import { readText, restOf, writeText } from "./options";

const option = (name: string, more: object = {}) =>
  ({
    name,
    kind: "number",
    default: 1,
    help: "",
    unit: "",
    low: 0,
    high: 10,
    choices: [],
    many: false,
    keyed: false,
    optional: false,
    shape: "",
    ...more,
  }) as never;

describe("settings that a panel does not show by itself", () => {
  it("are all others, but for what is selected", () => {
    const operation = {
      options: [
        option("padding"),
        option("seconds"),
        option("islands", { many: true, passing: true }),
        option("roles", { keyed: true }),
        option("profile", { kind: "special" }),
      ],
    };
    expect(restOf(operation, ["padding"]).map((one) => one.name)).toEqual([
      "seconds",
      "roles",
      "profile",
    ]);
    expect(restOf(undefined, [])).toEqual([]);
  });
  it("take what they can have", () => {
    expect(readText(option("a"), "2,5")).toBe(2.5);
    expect(readText(option("a"), "11")).toBeUndefined();
    expect(readText(option("a"), "")).toBeUndefined();
    expect(readText(option("a", { optional: true }), " ")).toBeNull();
    expect(readText(option("a", { kind: "whole" }), "2.5")).toBeUndefined();
    expect(readText(option("a", { kind: "text" }), " x ")).toBe("x");
    expect(readText(option("a", { kind: "special", optional: true }), "")).toBeNull();
  });
  it("take several values, and values by names", () => {
    const sizes = option("sizes", { many: true });
    expect(readText(sizes, "1; 2,5;")).toEqual([1, 2.5]);
    expect(readText(sizes, "")).toEqual([]);
    expect(readText(sizes, "1; 20")).toBeUndefined();
    const roles = option("roles", { keyed: true });
    expect(readText(roles, "a=b=3; normal = 4")).toEqual({ "a=b": 3, normal: 4 });
    expect(readText(roles, "3")).toBeUndefined();
    expect(
      readText(
        option("kinds", { kind: "choice", many: true, choices: ["id", "layout"] }),
        "id; layout",
      ),
    ).toEqual(["id", "layout"]);
    expect(
      readText(option("kinds", { kind: "choice", many: true, choices: ["id"] }), "ids"),
    ).toBeUndefined();
    for (const text of ["1; 2.5", "a=1; b=2"])
      expect(writeText(readText(text.includes("=") ? roles : sizes, text))).toBe(text);
    expect(
      writeText([
        [1, 2, 3],
        [4, 5, 6],
      ]),
    ).toBe("1,2,3; 4,5,6");
  });
});
