// @vitest-environment happy-dom
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { useConnection } from "./connection";
import { bringIn } from "./upload";

/** Requests that a server was sent, and what it does with them. */
const sent: string[] = [];
const server = vi.fn<(request: string) => Response | null>();

beforeEach(() => {
  vi.useFakeTimers();
  sent.length = 0;
  vi.stubGlobal("fetch", (asked: RequestInfo | URL, init?: RequestInit) => {
    const request =
      asked instanceof Request ? asked : new Request(new URL(asked, location.href), init);
    const path = `${request.method} ${new URL(request.url).pathname}`;
    sent.push(path);
    const answer = server(path);
    return answer ? Promise.resolve(answer) : Promise.reject(new TypeError("Failed to fetch"));
  });
  useConnection.setState({ away: false, waiting: 0 });
});
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

const FILES = "POST /api/projects/3/files/";
const crate = () => [new File(["v 0 0 0"], "crate.obj")];
const well = (verb: string) => (path: string) =>
  new Response(JSON.stringify(path.startsWith("GET") ? { steps: [{ id: 8, verb }] } : {}), {
    headers: { "Content-Type": "application/json" },
  });

it("waits with files until the server is back, counts them as a change, and sends them once", async () => {
  server.mockReturnValue(null);
  const done = bringIn(3, crate(), 1, 7);
  await vi.advanceTimersByTimeAsync(2500);
  expect(useConnection.getState()).toEqual({ away: true, waiting: 1 });
  expect(sent.filter((path) => path === FILES)).toHaveLength(1);
  // An edit that waited as well may have been sent before.
  server.mockImplementation(well("control"));
  await vi.advanceTimersByTimeAsync(1100);
  await done;
  expect(sent.filter((path) => path === FILES)).toHaveLength(2);
  expect(useConnection.getState()).toEqual({ away: false, waiting: 0 });
});

it("does not send files again that may have arrived", async () => {
  server.mockReturnValue(null);
  const done = bringIn(3, crate(), 1, 7).catch((error: unknown) => error);
  await vi.advanceTimersByTimeAsync(10);
  server.mockImplementation(well("gather"));
  await vi.advanceTimersByTimeAsync(1100);
  expect(await done).toMatchObject({ where: "crate.obj" });
  expect(sent.filter((path) => path === FILES)).toHaveLength(1);
});
