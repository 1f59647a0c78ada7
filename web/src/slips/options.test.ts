import { describe, expect, it } from "vitest";
import { readText, restOf } from "./options";

const option = (name: string, more: object = {}) => ({ name, kind: "number", default: 1, help: "", unit: "", low: 0, high: 10, choices: [], many: false, keyed: false, optional: false, shape: "", ...more }) as never;

describe("settings that a slip does not show by itself", () => {
  it("are all others that have one value", () => {
    const operation = { options: [option("padding"), option("seconds"), option("islands", { many: true }), option("roles", { keyed: true }), option("profile", { kind: "special" })] };
    expect(restOf(operation, ["padding"]).map((one) => one.name)).toEqual(["seconds"]);
    expect(restOf(undefined, [])).toEqual([]);
  });
  it("take what they can have", () => {
    expect(readText(option("a"), "2,5")).toBe(2.5);
    expect(readText(option("a"), "11")).toBeUndefined();
    expect(readText(option("a"), "")).toBeUndefined();
    expect(readText(option("a", { optional: true }), " ")).toBeNull();
    expect(readText(option("a", { kind: "whole" }), "2.5")).toBeUndefined();
    expect(readText(option("a", { kind: "text" }), " x ")).toBe("x");
  });
});
