// @vitest-environment happy-dom
import { screen, within } from "@testing-library/react";
import { userEvent } from "@testing-library/user-event";
import { beforeEach, expect, it, vi } from "vitest";
import { editor } from "../state";
import { atlas, layOut, project, server, show } from "../testing/room";
import { ObjectList } from "./ObjectList";

/** A pen that draws nothing. */
const pen = new Proxy({}, { get: () => () => undefined, set: () => true });

beforeEach(() => {
  vi.spyOn(HTMLCanvasElement.prototype, "getContext").mockReturnValue(pen as never);
  // Nothing has a size without a browser: the list is told one.
  vi.spyOn(HTMLElement.prototype, "clientHeight", "get").mockReturnValue(300);
  vi.spyOn(HTMLElement.prototype, "clientWidth", "get").mockReturnValue(900);
  layOut();
  show(<ObjectList project={project} atlas={atlas} fold={() => undefined} />);
});

const row = (name: RegExp) => screen.getByRole("row", { name });

it("selects the islands of an object, and shows that they are selected", async () => {
  expect(row(/Crate/).getAttribute("aria-selected")).toBe("false");
  await userEvent.click(row(/Crate/));
  expect(editor.selection.list()).toEqual([0, 1]);
  expect(row(/Crate/).getAttribute("aria-selected")).toBe("true");
});

it("unfolds an object with the keyboard", async () => {
  row(/Crate/).focus();
  await userEvent.keyboard("{ArrowRight}");
  expect(row(/Crate/).getAttribute("aria-expanded")).toBe("true");
  expect(screen.getAllByRole("row")).toHaveLength(4);
});

it("opens the menu of a row with Enter, what is done by hand among it", async () => {
  row(/Crate/).focus();
  await userEvent.keyboard("{Enter}");
  expect(editor.selection.list()).toEqual([0, 1]);
  const menu = screen.getByRole("menu");
  for (const name of ["Quarter turn to the left", "To the side table", /Lock rotation/])
    expect(within(menu).getByRole("menuitem", { name })).toBeTruthy();
  await userEvent.keyboard("{Escape}");
  expect(screen.queryByRole("menu")).toBeNull();
});

it("locks what a row holds", async () => {
  await userEvent.click(within(row(/Crate/)).getByRole("button", { name: /place/ }));
  const request = server.mock.calls[0][0];
  expect(request.url).toMatch(/\/api\/atlases\/2\/control\/$/);
  expect(await request.json()).toMatchObject({ islands: [0, 1], lock_place: true, change: 5 });
});
