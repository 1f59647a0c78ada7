// @vitest-environment happy-dom
import { QueryClient } from "@tanstack/react-query";
import { beforeEach, expect, it, vi } from "vitest";
import { useUi } from "../../state";
import { project } from "../../testing/room";
import type { Project } from "../client";
import { doAction } from "./act";

/** A server of a project with so many steps: it takes one back from the newest alone, as the real one does. */
function serve(steps: number) {
  const asked: [string, number][] = [];
  let head = steps;
  const answer = () => ({
    ...project,
    change: head,
    undo: head > 0 ? "move" : "",
    redo: head < steps ? "move" : "",
  });
  vi.stubGlobal("fetch", async (request: Request) => {
    const { change } = (await request.json()) as { change: number };
    const verb = /(undo|redo)\/$/.exec(request.url)![1];
    asked.push([verb, change]);
    await new Promise((done) => setTimeout(done, 2));
    if (change !== head)
      return new Response(JSON.stringify({ what: "It has changed since." }), { status: 409 });
    head += verb === "undo" ? -1 : 1;
    return new Response(JSON.stringify(answer()), {
      headers: { "Content-Type": "application/json" },
    });
  });
  const client = new QueryClient();
  client.setQueryData<Project>(["project", project.id], answer());
  return { client, asked, head: () => head };
}

const scope = { project: project.id, atlas: 2 };
const press = (client: QueryClient, verb: "undo" | "redo", times: number) =>
  Promise.all(
    Array.from({ length: times }, () => doAction(client, scope, verb, undefined as never)),
  );

beforeEach(() => useUi.setState({ notice: null }));

it("takes back twenty steps, however fast they are asked for, and brings them again", async () => {
  const server = serve(20);
  await press(server.client, "undo", 20);
  expect(server.head()).toBe(0);
  expect(server.asked.map(([, change]) => change)).toEqual(
    Array.from({ length: 20 }, (_, k) => 20 - k),
  );
  await press(server.client, "redo", 20);
  expect(server.head()).toBe(20);
  expect(useUi.getState().notice).toBeNull();
});

it("asks for no more steps back than there are", async () => {
  const server = serve(3);
  await press(server.client, "undo", 8);
  expect(server.asked).toHaveLength(3);
  expect(useUi.getState().notice).toBeNull();
});
