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

it("keeps the figures of the layout before, visibly old, while a new one is measured", () => {
  const bar = screen.getByRole("toolbar", { name: "Verdict" });
  const old = () => figure("density").closest("[data-old]")?.getAttribute("data-old") ?? null;
  const known = editor.document.totals;
  const next = { ...info(), revision: { ...info().revision, id: 2 } };
  expect([bar.getAttribute("aria-busy"), old()]).toEqual(["false", null]);
  act(() => editor.show({ ...next, figures: null }, still, geometry));
  expect(bar.getAttribute("aria-busy")).toBe("true");
  expect(figure("density").textContent).toContain("64 – 256");
  expect(old()).toContain("the layout before");
  // Each island keeps the density that it had; other islands have none yet.
  expect(editor.document.density(1)).toBe(256);
  const other = info().objects.map((o) => ({ ...o, islands: 1 }));
  act(() => editor.show({ ...next, figures: null, objects: other }, still, geometry));
  expect(editor.document.density(1)).toBeNull();
  expect(figure("density").textContent).toContain("64 – 256");
  act(() => editor.show({ ...next, figures: known }, still, geometry));
  expect(old()).toBeNull();
});

it("shows figures as old while another layout is previewed, or an edit is on its way", () => {
  const old = () => figure("density").closest("[data-old]");
  act(() => editor.preview(still.slice()));
  expect(old()).not.toBeNull();
  act(() => editor.endPreview());
  expect(old()).toBeNull();
  let edit = 0;
  act(
    () =>
      void (edit = editor.document.apply({ islands: [0], moves: [[1, 0, 0.1, 0, 1, 0]] } as never)),
  );
  expect(old()).not.toBeNull();
  act(() => editor.document.refuse(edit));
  expect(old()).toBeNull();
});
