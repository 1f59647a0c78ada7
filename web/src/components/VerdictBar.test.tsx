// @vitest-environment happy-dom
import { act, screen } from "@testing-library/react";
import { userEvent } from "@testing-library/user-event";
import { beforeEach, expect, it } from "vitest";
import { info } from "../editor/layout.samples";
import { geometry, still } from "../editor/layout.samples";
import { editor } from "../state";
import { layOut, show } from "../testing/room";
import { VerdictBar } from "./VerdictBar";

beforeEach(() => {
  layOut();
  show(<VerdictBar />);
});

const figure = (name: string) =>
  screen.getAllByRole("button").find((button) => button.getAttribute("data-figure") === name)!;

it("tells each figure with its unit", () => {
  expect(figure("density").textContent).toBe("density64 – 256px/m");
  expect(figure("coverage").textContent).toBe("coverage4.0%");
  expect(figure("overlaps").textContent).toBe("overlaps0islands");
  expect(figure("smallest gap").textContent).toMatch(/614\.4px$/);
});

it("leads to the islands that a figure counts, one after another", async () => {
  await userEvent.click(figure("mirrored"));
  expect(editor.selection.list()).toEqual([0]);
  await userEvent.click(figure("outside"));
  expect(editor.selection.list()).toEqual([1]);
});

it("fades the figures of the layout before while a new one is measured", () => {
  const bar = screen.getByRole("toolbar", { name: "Verdict" });
  expect(bar.getAttribute("aria-busy")).toBe("false");
  act(() => editor.show({ ...info(), figures: null }, still, geometry));
  expect(bar.getAttribute("aria-busy")).toBe("true");
  expect(figure("density").textContent).toContain("64 – 256");
});
