import { MutationObserver, useIsMutating, useQueryClient } from "@tanstack/react-query";
import type { QueryClient } from "@tanstack/react-query";
import { createContext, useCallback, useContext, useMemo } from "react";
import { editor, tellError, useUi } from "../../state";
import type { ControlRequest, Project } from "../client";
import { sendWhenBack } from "../connection";
import { keepSteps, showAtlas, showProject, stepSeen, type Steps } from "../step";
import { request, type ActionName, type Answer, type AnswerOf, type BodyOf } from "./requests";

/** The project and the atlas on the table: what actions are about. */
export type Scope = { project: number; atlas: number };
export const ScopeContext = createContext<Scope>({ project: 0, atlas: 0 });

/** Jobs that were started from this page. */
export const started = new Set<number>();

/** Fetch anew what an action may have changed. */
function refresh(client: QueryClient, project: number): void {
  void client.invalidateQueries({ queryKey: ["jobs", project] });
  void client.invalidateQueries({ queryKey: ["project", project] });
  void client.invalidateQueries({ queryKey: ["atlas"] });
}

/** Show what the server answered: an atlas, a project, or a job that has begun. */
function follow(client: QueryClient, project: number, answer: Answer): void {
  if ("head" in answer) showAtlas(client, project, answer);
  else if ("atlases" in answer) showProject(client, answer);
  else if ("project" in answer && typeof answer.project === "object")
    showProject(client, answer.project);
  else {
    if ("state" in answer) started.add(answer.id);
    refresh(client, project);
  }
}

/**
 * Actions go one after the other, in the row of what is moved by hand: each begins from what the
 * one before it made, however fast they come.
 */
function inTurn<T>(name: ActionName, call: () => Promise<T>): Promise<T> {
  // A move waits in that row itself; to stop work is not to wait for anything.
  if (name === "move" || name === "cancel") return call();
  // Files may take long to send: nobody waits for them.
  if (name === "update") return editor.history.settled().then(call);
  return editor.history.follow(call);
}

/** Where an answer says that the project stands, for the next one in the row. */
function stepsIn(answer: Answer): Steps | null {
  if ("undo" in answer) return answer;
  return "project" in answer && typeof answer.project === "object" ? answer.project : null;
}

/** Do an action: errors are told, and what changed is shown. It rejects when the server refused. */
export function doAction<Name extends ActionName>(
  client: QueryClient,
  scope: Scope,
  name: Name,
  body: BodyOf<Name>,
): Promise<AnswerOf<Name>> {
  const { project } = scope;
  return new MutationObserver<AnswerOf<Name>, Error, BodyOf<Name>>(client, {
    mutationKey: [name],
    mutationFn: (told) =>
      inTurn(name, async () => {
        const now = client.getQueryData<Project>(["project", project]);
        // Keys may be pressed faster than steps are taken back: there is nothing more to do.
        if ((name === "undo" || name === "redo") && now?.[name as "undo" | "redo"] === "")
          return now as AnswerOf<Name>;
        // What the user saw: the server rebases an edit, or says what has changed.
        const seen = stepSeen(client, project);
        const answer = await sendWhenBack(() => request(name, { ...scope, change: seen }, told));
        const steps = stepsIn(answer as Answer);
        if (steps) keepSteps(client, project, steps);
        return answer;
      }),
    // The table shows it at once; the answer confirms it, or it is taken back with the reason.
    onMutate: (told) => {
      if (name !== "control") return;
      const edit = told as Omit<ControlRequest, "change">;
      editor.expect(edit.islands, edit);
    },
    onSuccess: (answer) => {
      follow(client, project, answer as Answer);
      if (name === "make-room" || name === "continue-across")
        useUi.getState().tell({ kind: "done", what: `${(answer as AnswerOf<"move">).what}.` });
    },
    onError: (error) => {
      if (name === "control") editor.takeBack();
      tellError(error);
      refresh(client, project);
    },
  }).mutate(body);
}

/** Any action by its name, for commands. */
export type Acting = {
  act: <Name extends ActionName>(
    name: Name,
    body: BodyOf<Name>,
    then?: (answer: AnswerOf<Name>) => void,
  ) => void;
  /** Whether it was asked for and not answered yet. */
  busy: (name: ActionName) => boolean;
};

export function useActing(): Acting {
  const client = useQueryClient();
  const { project, atlas } = useContext(ScopeContext);
  // Whoever shows commands is drawn anew when one begins or ends.
  const count = useIsMutating();
  return useMemo(
    () => ({
      act: (name, body, then) =>
        void doAction(client, { project, atlas }, name, body).then(then, () => undefined),
      busy: (name) => count > 0 && client.isMutating({ mutationKey: [name] }) > 0,
    }),
    [client, project, atlas, count],
  );
}

/** One action: `run` does it, `busy` tells whether it was asked for, here or elsewhere, and not answered yet. */
export function useAction<Name extends ActionName>(name: Name) {
  const client = useQueryClient();
  const { project, atlas } = useContext(ScopeContext);
  const busy = useIsMutating({ mutationKey: [name] }) > 0;
  const ask = useCallback(
    (body: BodyOf<Name>) => doAction(client, { project, atlas }, name, body),
    [client, project, atlas, name],
  );
  const run = useCallback(
    (body: BodyOf<Name>, then?: (answer: AnswerOf<Name>) => void) =>
      void ask(body).then(then, () => undefined),
    [ask],
  );
  return { ask, run, busy };
}
