import { expect, it, vi } from "vitest";

vi.stubGlobal("localStorage", { getItem: () => null, setItem: () => undefined });
vi.stubGlobal("document", {
  createElementNS: () => ({
    addEventListener: () => undefined,
    removeEventListener: () => undefined,
  }),
});
const { readSpot, writeSpot } = await import("./address");

it("says where one is, and reads that again", () => {
  const spot = {
    stage: "Even out" as const,
    atlas: 12,
    as: "density" as const,
    at: [0.5, 0.25, 1.2] as [number, number, number],
    picked: ["3 0 1", "3 0 2", "3 0 3", "3 0 7", "4 1 2"],
  };
  const text = writeSpot(spot);
  expect(text).toBe("?stage=even-out&atlas=12&as=density&at=0.5,0.25,1.2&selected=3.0:1-3,7~4.1:2");
  expect(readSpot(text)).toEqual(spot);
});

it("leaves out what is as at first, and a selection that is too long", () => {
  expect(writeSpot({})).toBe("");
  const keys = Array.from({ length: 1000 }, (_, k) => `9 0 ${2 * k + 1}`);
  expect(writeSpot({ stage: "Arrange", as: "object", picked: keys })).toBe("?stage=arrange");
  const run = Array.from({ length: 5000 }, (_, k) => `9 0 ${k + 1}`);
  expect(writeSpot({ picked: run })).toBe("?selected=9.0:1-5000");
});

it("takes nothing from an address that makes no sense", () => {
  expect(
    readSpot("?stage=nowhere&atlas=-3&as=<b>&at=1,2&selected=a.b:c~1.0:5-2~2.0:0~1.0:1-999999999"),
  ).toEqual({ picked: [] });
  expect(readSpot("?at=0,0,0&atlas=1.5")).toEqual({});
});
