// @vitest-environment happy-dom
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { reach, sendWhenBack, Unreached, useConnection } from "./connection";

const answers = vi.fn<() => Promise<Response>>();

beforeEach(() => {
  vi.useFakeTimers();
  vi.stubGlobal("fetch", answers);
  useConnection.setState({ away: false, waiting: 0 });
});
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

const well = () => Promise.resolve(new Response("{}"));
const gone = () => Promise.reject(new TypeError("Failed to fetch"));
const ask = () => reach("/api/projects/");

it("notes that the server does not answer, and that it is back", async () => {
  answers.mockImplementation(gone);
  await expect(ask()).rejects.toBeInstanceOf(Unreached);
  expect(useConnection.getState().away).toBe(true);
  answers.mockImplementation(well);
  await vi.advanceTimersByTimeAsync(1100);
  expect(useConnection.getState().away).toBe(false);
});

it("takes what a gateway says for a server that is not there", async () => {
  answers.mockImplementation(() => Promise.resolve(new Response("", { status: 502 })));
  await expect(ask()).rejects.toBeInstanceOf(Unreached);
  answers.mockImplementation(() => Promise.resolve(new Response("", { status: 409 })));
  expect((await ask()).status).toBe(409);
  expect(useConnection.getState().away).toBe(false);
});

it("keeps a change until the server is back, counts it, and sends it once more", async () => {
  answers.mockImplementation(gone);
  const sent = vi.fn(ask);
  const done = sendWhenBack(sent);
  await vi.advanceTimersByTimeAsync(10);
  expect(useConnection.getState()).toMatchObject({ away: true, waiting: 1 });
  await vi.advanceTimersByTimeAsync(5000);
  expect(sent).toHaveBeenCalledTimes(1);
  answers.mockImplementation(well);
  await vi.advanceTimersByTimeAsync(1100);
  expect((await done).status).toBe(200);
  expect(sent).toHaveBeenCalledTimes(2);
  expect(useConnection.getState()).toEqual({ away: false, waiting: 0 });
});

it("does not send again what was refused", async () => {
  const refused = vi.fn(() => Promise.reject(new Error("It has changed since.")));
  await expect(sendWhenBack(refused)).rejects.toThrow("changed since");
  expect(refused).toHaveBeenCalledTimes(1);
  expect(useConnection.getState().waiting).toBe(0);
});
