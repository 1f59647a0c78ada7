import { expect, it } from "vitest";
import type { Finding } from "../../api/client";
import { TableCamera } from "../camera/TableCamera";
import { amountText, drawSpots } from "./spots";
import { TableMap } from "./TableMap";

const map = new TableMap([{ number: 1001, width: 512, height: 512, label: "", frozen: false }]);
const gap = {
  kind: "gap",
  amount: 5.1234,
  unit: "px",
  tile: 1001,
  spots: [
    [0.25, 0.5],
    [0.75, 0.5],
  ],
} as unknown as Finding;

it("prints amounts with their unit and leaves counts to the words", () => {
  expect(amountText(gap)).toBe("5.12 px");
  expect(amountText({ ...gap, amount: 336_912.4, unit: "texel" })).toBe("336,912 texels");
  expect(amountText({ ...gap, unit: "island" })).toBe("");
});

it("rings every spot, joins those of a gap, and keeps its label in the image", () => {
  const calls: unknown[][] = [];
  const ctx = new Proxy({} as Record<string, unknown>, {
    get: (target, name: string) =>
      target[name] ??
      (name === "measureText"
        ? () => ({ width: 40 })
        : (...args: unknown[]) => calls.push([name, ...args])),
    set: (target, name: string, value) => {
      target[name] = value;
      return true;
    },
  }) as unknown as CanvasRenderingContext2D;
  const camera = new TableCamera();
  const palette = { paper: "", ink: "", soft: "", line: "", shadow: "", halo: "" };
  drawSpots(ctx, camera, gap, map, palette);
  expect(calls.filter(([name]) => name === "arc")).toHaveLength(4);
  expect(calls.filter(([name]) => name === "lineTo")).toHaveLength(2);
  expect(ctx.textAlign).toBe("left");
  camera.x = -0.7;
  drawSpots(ctx, camera, gap, map, palette);
  expect(ctx.textAlign).toBe("right");
});
