import { useSyncExternalStore } from "react";
import { ServerError, type LiveEventOf, type UnderWay } from "yoroshi/client";
import { queries, server, UNDER_WAY } from "./server.js";

/** How the page stands with its server. */
export type Contact = "asking" | "there" | "lost" | "signedOut";

/** What is read of a table's cells: the page in sight at once, figures some moments later. */
const ROWS = new Set(["readRows", "explainRow"]);
const FIGURES = new Set([
  "readColumn",
  "readCross",
  "readStanding",
  "readWay",
  "surveyPlan",
  "readReview",
  "readCheck",
  "showReview",
  "listRuns",
  "readSpend",
  "showProject",
]);
const ROWS_MS = 400;
const FIGURES_MS = 2_000;

let contact: Contact = "asking";
const listeners = new Set<() => void>();
const setContact = (now: Contact): void => {
  if (now === contact) return;
  contact = now;
  for (const tell of listeners) tell();
};

export const useContact = (): Contact =>
  useSyncExternalStore(
    (tell) => {
      listeners.add(tell);
      return () => void listeners.delete(tell);
    },
    () => contact,
  );

const waiting = new Map<string, number>();

/** Reads again what rests on a plan's cells, at most so often. */
function readAgain(names: ReadonlySet<string>, plan: string | undefined, afterMs: number): void {
  const mark = `${afterMs} ${plan ?? ""}`;
  if (waiting.has(mark)) return;
  waiting.set(
    mark,
    window.setTimeout(() => {
      waiting.delete(mark);
      void queries.invalidateQueries({
        predicate: ({ queryKey: [name, input] }) =>
          names.has(String(name)) && (plan === undefined || (input as { plan?: string } | undefined)?.plan === plan),
      });
    }, afterMs),
  );
}

function hear(event: LiveEventOf): void {
  if (event.type === "run") {
    const { data } = event;
    queries.setQueryData<readonly UnderWay[]>(UNDER_WAY, (all = []) =>
      all.some(({ id }) => id === data.id) ? all.map((one) => (one.id === data.id ? data : one)) : [data, ...all],
    );
    if (data.endedAt !== undefined) void queries.invalidateQueries({ predicate: ({ queryKey: [name] }) => !ROWS.has(String(name)) });
  } else if (event.type === "cells") {
    readAgain(ROWS, event.data.plan, ROWS_MS);
    readAgain(FIGURES, event.data.plan, FIGURES_MS);
  } else void queries.invalidateQueries();
}

/** Listens as long as the page is open; what was missed while the server was away is read again. */
export async function listen(): Promise<void> {
  let wasLost = false;
  for (;;) {
    try {
      await server.listen(hear, {
        onLost: () => {
          wasLost = true;
          setContact("lost");
        },
        onFound: () => {
          setContact("there");
          if (wasLost) void queries.invalidateQueries();
          wasLost = false;
        },
      });
      return;
    } catch (error) {
      // The link has ended: somebody has to open a new one.
      if (error instanceof ServerError && (error.status === 401 || error.status === 403)) setContact("signedOut");
      await new Promise((resolve) => setTimeout(resolve, 3_000));
      wasLost = true;
    }
  }
}
