// @vitest-environment happy-dom
import { act, screen } from "@testing-library/react";
import { userEvent } from "@testing-library/user-event";
import { beforeEach, expect, it } from "vitest";
import { editor } from "../state";
import { atlas, layOut, project, server, show } from "../testing/room";
import { IslandsPart } from "./IslandsPart";

beforeEach(() => {
  layOut();
  show(<IslandsPart project={project} atlas={atlas} jobs={[]} upload={() => Promise.resolve()} />);
});

const button = (name: string) => screen.getByRole("button", { name }) as HTMLButtonElement;

it("asks for a selection first, and says so on each button", () => {
  expect(screen.getByText(/Select islands on the table/)).toBeTruthy();
  expect(button("Lock rotation").disabled).toBe(true);
  expect(button("Lock rotation").title).toBe("Select islands first.");
});

it("shows a lock at once, and takes it back when the server refuses", async () => {
  act(() => editor.select((s) => s.set([0])));
  let refuse: (answer: Response) => void = () => undefined;
  server.mockImplementationOnce(() => new Promise((done) => (refuse = done)));
  await userEvent.click(button("Lock rotation"));
  expect(button("Lock rotation").getAttribute("aria-pressed")).toBe("true");
  await act(async () => {
    refuse(new Response(JSON.stringify({ what: "It has changed since." }), { status: 409 }));
    await Promise.resolve();
  });
  await screen.findByRole("button", { name: "Lock rotation", pressed: false });
});
