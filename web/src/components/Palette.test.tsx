// @vitest-environment happy-dom
import { screen } from "@testing-library/react";
import { userEvent } from "@testing-library/user-event";
import { beforeEach, expect, it, vi } from "vitest";
import { allCommands } from "../commands/all";
import { settingCommands } from "../commands/operations";
import { viewCommands } from "../commands/view";
import { SYNONYMS } from "../commands/synonyms";
import { keysOf } from "../shortcuts";
import { editor, useUi } from "../state";
import { atlas, layOut, project, server, show } from "../testing/room";
import { Palette } from "./Palette";

beforeEach(() => {
  layOut();
  useUi.setState({ palette: true });
  show(<Palette project={project} atlas={atlas} />);
});

const commands = () => allCommands(editor, { act: () => {}, busy: () => false }, project, atlas);
const options = () => screen.getAllByRole("option").map((row) => row.textContent);

it("gives each command an id of its own; keys and synonyms are of commands that there are", () => {
  const ids = [...commands(), ...settingCommands([])].map((c) => c.id);
  expect(ids.filter((id, k) => ids.indexOf(id) !== k)).toEqual([]);
  expect(Object.keys(keysOf({})).filter((id) => !ids.includes(id))).toEqual([]);
  expect(Object.keys(SYNONYMS).filter((id) => !ids.includes(id))).toEqual([]);
});

it("finds an operation by a trade word and leads to its stage", async () => {
  await userEvent.type(screen.getByLabelText("Command"), "auto map");
  expect(options()[0]).toContain("Unwrap");
  await userEvent.keyboard("{Enter}");
  expect(useUi.getState().stage).toBe("Unwrap");
  expect(useUi.getState().palette).toBe(false);
});

it("says why a command cannot be done, and does not do it", async () => {
  await userEvent.type(screen.getByLabelText("Command"), "make room");
  const row = screen.getAllByRole("option")[0];
  expect(row.textContent).toContain("Select islands first.");
  expect(row.getAttribute("aria-disabled")).toBe("true");
  await userEvent.keyboard("{Enter}");
  expect(useUi.getState().palette).toBe(true);
  expect(server).not.toHaveBeenCalled();
});

it("finds settings, objects, tiles and materials, after what can be done", async () => {
  expect(options().some((text) => text?.includes("Crate"))).toBe(false);
  const typed = async (text: string) => {
    await userEvent.clear(screen.getByLabelText("Command"));
    await userEvent.type(screen.getByLabelText("Command"), text);
    return options();
  };
  expect((await typed("stretch of unwrap"))[0]).toContain("largest stretch");
  expect((await typed("tile 1001")).some((text) => text?.includes("show it on the table"))).toBe(
    true,
  );
  expect((await typed("oak"))[0]).toContain("Material");
  expect((await typed("crate"))[0]).toContain("Object");
  await userEvent.keyboard("{Enter}");
  expect(editor.selection.list()).toEqual([0, 1]);
}, 20_000);

it("sends a command with the step that the user saw", async () => {
  await userEvent.type(screen.getByLabelText("Command"), "undo");
  await userEvent.keyboard("{Enter}");
  const request = server.mock.calls[0][0];
  expect(request.url).toMatch(/\/api\/projects\/1\/undo\/$/);
  expect(await request.json()).toEqual({ change: 5 });
});

it("presses the panel's main button, or says why it cannot", () => {
  const main = () => viewCommands(editor).find((c) => c.id === "main-button")!;
  expect(main().lacks).toContain("no main button");
  const pressed = vi.fn();
  const panel = document.createElement("section");
  panel.setAttribute("aria-label", "Task");
  panel.innerHTML = "<button data-main>Pack 2 islands</button>";
  document.body.append(panel);
  const button = panel.querySelector("button")!;
  button.onclick = pressed;
  expect([main().label, main().lacks]).toEqual(["Do: Pack 2 islands", ""]);
  main().run();
  expect(pressed).toHaveBeenCalledOnce();
  button.disabled = true;
  expect(main().lacks).toContain("grey");
  panel.remove();
});
