import { useEffect } from "react";
import type { Editor } from "./editor/Editor";
import { VIEWS, type ViewAs } from "./editor/style/views";
import { editor, STAGES, useUi, type Stage } from "./state";

/** What the address says beside the project: a link brings a colleague to the same spot. */
export type Spot = {
  stage?: Stage;
  atlas?: number;
  as?: ViewAs;
  /** Middle of the view on the table, and how much of the table the shorter side of the view shows. */
  at?: [number, number, number];
  /** Keys of the selected islands (see `LayoutDocument.keyOf`). */
  picked?: string[];
};

/** A selection whose words are longer is not in the address. */
const MOST = 1500;
const WAIT_MS = 350;

export function readSpot(search: string): Spot {
  const query = new URLSearchParams(search);
  const out: Spot = {};
  const stage = STAGES.find((name) => slug(name) === query.get("stage"));
  if (stage) out.stage = stage;
  const atlas = Number(query.get("atlas"));
  if (Number.isInteger(atlas) && atlas > 0) out.atlas = atlas;
  const as = VIEWS.find((view) => view === query.get("as"));
  if (as) out.as = as;
  const at = (query.get("at") ?? "").split(",").map(Number);
  if (at.length === 3 && at.every(Number.isFinite) && at[2] > 0)
    out.at = at as [number, number, number];
  const picked = query.get("selected");
  if (picked) out.picked = keysIn(picked);
  return out;
}

export function writeSpot({ stage, atlas, as, at, picked }: Spot): string {
  const query = new URLSearchParams();
  if (stage) query.set("stage", slug(stage));
  if (atlas) query.set("atlas", String(atlas));
  if (as && as !== "object") query.set("as", as);
  if (at) query.set("at", at.map((value) => Number(value.toFixed(4))).join());
  const words = picked?.length ? wordsOf(picked) : "";
  if (words && words.length <= MOST) query.set("selected", words);
  // Signs that need no escape in an address stay readable.
  const text = query.toString().replace(/%2C/g, ",").replace(/%3A/g, ":").replace(/%7E/g, "~");
  return text ? `?${text}` : "";
}

const slug = (stage: string) => stage.toLowerCase().replaceAll(" ", "-");

/** “object channel number” each, as object.channel:numbers with ranges. */
function wordsOf(keys: string[]): string {
  const groups = new Map<string, number[]>();
  for (const key of keys) {
    const [object, channel, number] = key.split(" ");
    const of = `${object}.${channel}`;
    (groups.get(of) ?? groups.set(of, []).get(of)!).push(Number(number));
  }
  return [...groups]
    .map(([of, numbers]) => `${of}:${ranges(numbers.sort((a, b) => a - b))}`)
    .join("~");
}

function ranges(numbers: number[]): string {
  const out: string[] = [];
  for (let k = 0; k < numbers.length;) {
    let end = k;
    while (numbers[end + 1] === numbers[end] + 1) end++;
    out.push(end > k ? `${numbers[k]}-${numbers[end]}` : String(numbers[k]));
    k = end + 1;
  }
  return out.join(",");
}

function keysIn(words: string): string[] {
  return words.split("~").flatMap((word) => {
    const found = /^(\d+)\.(\d+):([\d,-]+)$/.exec(word);
    if (!found) return [];
    return found[3].split(",").flatMap((range) => {
      const [first, last = first] = range.split("-").map(Number);
      return first > 0 && last >= first && last - first < 100_000
        ? Array.from({ length: last - first + 1 }, (_, k) => `${found[1]} ${found[2]} ${first + k}`)
        : [];
    });
  });
}

/** Where the page is now. */
function spotOf(of: Editor): Spot {
  const { stage, atlas } = useUi.getState();
  const { camera, document } = of;
  return {
    stage,
    atlas: atlas ?? undefined,
    as: of.view.as,
    at: document.model
      ? [camera.x, camera.y, Math.min(camera.width, camera.height) / camera.scale]
      : undefined,
    picked: of.selection.list().map((island) => document.keyOf(island)),
  };
}

/** Go where an address says, as far as it can be shown now. */
function goTo(spot: Spot, of: Editor): void {
  const ui = useUi.getState();
  if (spot.stage && spot.stage !== ui.stage) ui.setStage(spot.stage);
  if ((spot.atlas ?? null) !== ui.atlas) ui.goToAtlas(spot.atlas ?? null);
  of.setView(spot.as ?? "object");
  lookAt(spot, of);
}

function lookAt({ at, picked }: Spot, of: Editor): void {
  if (!of.document.model) return;
  of.select((s) => s.set(of.document.withKeys(new Set(picked ?? []))));
  if (!at) return;
  of.camera.lookAt(at[0], at[1], Math.min(of.camera.width, of.camera.height) / at[2]);
  of.drawn();
}

/** The address follows what is seen, and back and forward lead where one was. */
export function useAddress(projectId: number): void {
  useEffect(() => {
    const first = readSpot(window.location.search);
    let wanted: Spot | null = first.at || first.picked ? first : null;
    let timer: ReturnType<typeof setTimeout> | undefined;
    let going = true;
    goTo(first, editor);
    going = false;
    const write = (push: boolean) => {
      clearTimeout(timer);
      if (wanted || going || !window.location.pathname.startsWith("/project/")) return;
      const to = `/project/${projectId}${writeSpot(spotOf(editor))}`;
      if (to === window.location.pathname + window.location.search) return;
      if (push) window.history.pushState({}, "", to);
      else window.history.replaceState({}, "", to);
    };
    const soon = () => {
      clearTimeout(timer);
      timer = setTimeout(() => write(false), WAIT_MS);
    };
    // What was asked for is shown once the layout is there and painted.
    let leaving: unknown = null;
    const arrive = () => {
      if (
        !wanted ||
        !editor.document.model ||
        !editor.painted.version ||
        editor.document.geometry === leaving
      )
        return;
      leaving = null;
      const spot = wanted;
      // Until it is shown, nothing else is written to the address.
      requestAnimationFrame(() => {
        if (wanted !== spot) return;
        wanted = null;
        lookAt(spot, editor);
        soon();
      });
    };
    const back = () => {
      const spot = readSpot(window.location.search);
      // What lies in another atlas is looked at once that is on the table.
      const elsewhere = (spot.atlas ?? null) !== useUi.getState().atlas;
      [wanted, leaving] = elsewhere ? [spot, editor.document.geometry] : [null, null];
      going = true;
      goTo(spot, editor);
      going = false;
    };
    const stops = [
      ...(["document", "painted"] as const).map((topic) => editor.signal(topic).subscribe(arrive)),
      ...(["selection", "view", "frames"] as const).map((topic) =>
        editor.signal(topic).subscribe(soon),
      ),
      useUi.subscribe((now, before) => {
        if (going || (now.stage === before.stage && now.atlas === before.atlas)) return;
        // Whoever goes on by himself waits for nothing any more.
        wanted = null;
        write(true);
      }),
    ];
    arrive();
    window.addEventListener("popstate", back);
    return () => {
      clearTimeout(timer);
      window.removeEventListener("popstate", back);
      stops.forEach((stop) => stop());
    };
  }, [projectId]);
}
