import { expect, it, vi } from "vitest";
import { moving } from "../geometry/transform";
import { HistoryManager, type PlaceEdit } from "./HistoryManager";

const edit = (island: number): PlaceEdit => ({
  verb: "move",
  islands: [island],
  moves: [moving(0.1, 0)],
});

function setUp() {
  let next = 1;
  const ledger = { apply: vi.fn(() => next++), confirm: vi.fn(), refuse: vi.fn() };
  return { ledger, history: new HistoryManager(ledger) };
}

it("shows an edit at once and sends edits one after the other", async () => {
  const { ledger, history } = setUp();
  const answers: ((revision: number) => void)[] = [];
  const sent: number[] = [];
  history.send = ({ islands }) =>
    new Promise((resolve) => {
      sent.push(islands[0]);
      answers.push(resolve);
    });
  void history.place(edit(4));
  const second = history.place(edit(5));
  expect(ledger.apply).toHaveBeenCalledTimes(2);
  await Promise.resolve();
  expect(sent).toEqual([4]);
  expect(history.pending).toBe(2);
  answers[0](31);
  await vi.waitFor(() => expect(sent).toEqual([4, 5]));
  expect(ledger.confirm).toHaveBeenCalledWith(1, 31);
  answers[1](32);
  await second;
  expect(ledger.confirm).toHaveBeenLastCalledWith(2, 32);
  expect(history.pending).toBe(0);
});

it("takes back only what was refused", async () => {
  const { ledger, history } = setUp();
  history.send = ({ islands }) =>
    islands[0] === 4 ? Promise.reject(new Error("no")) : Promise.resolve(7);
  void history.place(edit(4));
  await history.place(edit(5));
  expect(ledger.refuse.mock.calls).toEqual([[1]]);
  expect(ledger.confirm.mock.calls).toEqual([[2, 7]]);
});

it("lets undo wait for what is on its way", async () => {
  const { history } = setUp();
  const done: string[] = [];
  history.send = () =>
    Promise.resolve(1).then((r) => {
      done.push("edit");
      return r;
    });
  void history.place(edit(1));
  await history.settled().then(() => done.push("undo"));
  expect(done).toEqual(["edit", "undo"]);
});

it("sends other things in their turn, and what waits for all begins after them", async () => {
  const { history } = setUp();
  const done: string[] = [];
  const first = history.follow(async () => {
    await Promise.resolve();
    done.push("first");
    return 7;
  });
  const failing = history
    .follow(() => Promise.reject(new Error("no")))
    .catch(() => {
      done.push("failed");
    });
  const all = history.settled().then(() => done.push("all"));
  expect(await first).toBe(7);
  await Promise.all([failing, all]);
  expect(done.slice(0, 1)).toEqual(["first"]);
  expect(new Set(done)).toEqual(new Set(["first", "failed", "all"]));
  expect(history.pending).toBe(0);
});
