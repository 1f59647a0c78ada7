import { create } from "zustand";

/** Whether the server answers, and how many changes wait until it does. */
export const useConnection = create<{ away: boolean; waiting: number }>(() => ({
  away: typeof navigator !== "undefined" && navigator.onLine === false,
  waiting: 0,
}));

/** The server was not reached: nothing was refused, and nothing is known of what it did. */
export class Unreached extends Error {
  readonly what = "The server cannot be reached.";
  readonly fix = "Start it again if it has stopped; your work is kept there.";

  constructor() {
    super("The server cannot be reached.");
  }
}

const PROBE_EVERY = 1000;
/** Answers of what stands before a server that is not there. */
const GATEWAY = [502, 503, 504];
let probing = 0;

function setAway(away: boolean): void {
  if (useConnection.getState().away !== away) useConnection.setState({ away });
  if (away && !probing) probing = window.setInterval(probe, PROBE_EVERY);
  if (!away && probing) {
    window.clearInterval(probing);
    probing = 0;
  }
}

async function probe(): Promise<void> {
  const answer = await fetch("/healthz", { cache: "no-store" }).catch(() => null);
  if (answer && !GATEWAY.includes(answer.status)) setAway(false);
}

/** As `fetch`, but one that notes whether the server is there. */
export async function reach(request: RequestInfo | URL, init?: RequestInit): Promise<Response> {
  let answer;
  try {
    answer = await fetch(request, init);
  } catch (error) {
    if (error instanceof DOMException && error.name === "AbortError") throw error;
    setAway(true);
    throw new Unreached();
  }
  if (GATEWAY.includes(answer.status)) {
    setAway(true);
    throw new Unreached();
  }
  setAway(false);
  return answer;
}

const back = () =>
  new Promise<void>((resolve) => {
    if (!useConnection.getState().away) return resolve();
    const end = useConnection.subscribe(({ away }) => {
      if (away) return;
      end();
      resolve();
    });
  });

/**
 * Send a change; while the server is away it waits, and is sent again when it is back. Each names
 * the step that it began from, so that one that had arrived is refused and never made twice.
 */
export async function sendWhenBack<T>(call: () => Promise<T>): Promise<T> {
  let counted = false;
  const count = (by: number) =>
    useConnection.setState(({ waiting }) => ({ waiting: waiting + by }));
  try {
    for (;;) {
      try {
        return await call();
      } catch (error) {
        if (!(error instanceof Unreached)) throw error;
        if (!counted) count(1);
        counted = true;
        await back();
      }
    }
  } finally {
    if (counted) count(-1);
  }
}

if (typeof window !== "undefined") {
  window.addEventListener("offline", () => setAway(true));
  window.addEventListener("online", () => void probe());
}
