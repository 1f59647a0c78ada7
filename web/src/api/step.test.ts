import { QueryClient, QueryObserver } from "@tanstack/react-query";
import { expect, it, vi } from "vitest";
import type { Project } from "./client";
import { keepSteps } from "./step";

const project = (change: number, objects: number) =>
  ({ id: 1, change, undo: "", redo: "", objects }) as never as Project;

it("asks for the rest of the project again when its steps come before it", async () => {
  const client = new QueryClient();
  const answers: ((value: Project) => void)[] = [];
  const queryFn = vi.fn(() => new Promise<Project>((resolve) => answers.push(resolve)));
  client.setQueryData(["project", 1], project(1, 0));
  const end = new QueryObserver(client, { queryKey: ["project", 1], queryFn }).subscribe(() => {});
  await vi.waitFor(() => expect(queryFn).toHaveBeenCalledTimes(1));
  // An atlas that was asked for beside it answers first, with the step that files made.
  keepSteps(client, 1, { change: 2, undo: "gather", redo: "" });
  await vi.waitFor(() => expect(queryFn).toHaveBeenCalledTimes(2));
  expect(client.getQueryData<Project>(["project", 1])).toMatchObject({ change: 2, objects: 0 });
  answers[0](project(1, 0));
  answers[1](project(2, 3));
  await vi.waitFor(() =>
    expect(client.getQueryData<Project>(["project", 1])).toMatchObject({ change: 2, objects: 3 }),
  );
  end();
});

it("asks for nothing where nothing was asked", () => {
  const client = new QueryClient();
  client.setQueryData(["project", 1], project(1, 3));
  const asked = vi.spyOn(client, "invalidateQueries");
  keepSteps(client, 1, { change: 2, undo: "move", redo: "" });
  expect(client.getQueryData<Project>(["project", 1])).toMatchObject({ change: 2, objects: 3 });
  expect(asked.mock.calls.map(([filters]) => filters!.queryKey)).toEqual([["history", 1]]);
});
