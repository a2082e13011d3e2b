import { useSyncExternalStore } from "react";
import { ServerError, type LiveEventOf, type UnderWay } from "yoroshi/client";
import { queries, server, UNDER_WAY } from "./server.js";

/** How the page stands with its server. */
export type Contact = "asking" | "there" | "lost" | "signedOut";

/** What is read of a table's cells: rows that have changed at once, orders and figures some moments later. */
const ROWS = new Set(["readRows", "explainRow"]);
const FIGURES = new Set([
  "readRows",
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

const waiting = new Set<string>();

/** Reads again what rests on a plan's cells, at most so often. */
function readAgain(plan: string, afterMs: number, rests: (name: string, input: AskedOf, data: unknown) => boolean): void {
  const mark = `${afterMs} ${plan}`;
  if (waiting.has(mark)) return;
  waiting.add(mark);
  window.setTimeout(() => {
    waiting.delete(mark);
    void queries.invalidateQueries({
      predicate: ({ queryKey: [name, input], state }) =>
        (input as AskedOf | undefined)?.plan === plan && rests(String(name), input as AskedOf, state.data),
    });
  }, afterMs);
}

interface AskedOf {
  readonly plan?: string;
  readonly key?: string;
  readonly [key: string]: unknown;
}

/** Keys of rows that were recorded and are not read again yet; `null` for so many that all are. */
const changed = new Map<string, Set<string> | null>();

/** Only what has one of the changed rows is read at once: while a fill goes on, that is seldom what is in sight. */
function cellsChanged(plan: string, keys: readonly string[] | null): void {
  const known = changed.get(plan);
  changed.set(plan, keys === null || known === null ? null : new Set([...(known ?? []), ...keys]));
  readAgain(plan, ROWS_MS, (name, input, data) => {
    const now = changed.get(plan);
    // Taken once for all that is looked at in this turn.
    queueMicrotask(() => changed.delete(plan));
    if (!ROWS.has(name)) return false;
    if (now === null || now === undefined) return true;
    if (input.key !== undefined) return now.has(input.key);
    return (data as { page?: readonly { readonly key: string }[] } | undefined)?.page?.some(({ key }) => now.has(key)) ?? true;
  });
  // The order of rows, and which of them are found, may rest on cells that are not in sight.
  readAgain(plan, FIGURES_MS, (name, { sort, filters, search, where, states }) => {
    if (!FIGURES.has(name)) return false;
    return name !== "readRows" || [sort, filters, search, where, states].some((one) => one !== undefined);
  });
}

function hear(event: LiveEventOf): void {
  if (event.type === "run") {
    const { data } = event;
    queries.setQueryData<readonly UnderWay[]>(UNDER_WAY, (all = []) =>
      all.some(({ id }) => id === data.id) ? all.map((one) => (one.id === data.id ? data : one)) : [data, ...all],
    );
    if (data.endedAt !== undefined) void queries.invalidateQueries({ predicate: ({ queryKey: [name] }) => !ROWS.has(String(name)) });
  } else if (event.type === "cells") {
    cellsChanged(event.data.plan, event.data.keys);
  } else if (event.type === "watch") {
    for (const name of ["readWatched", "listRuns", "readSpend"]) void queries.invalidateQueries({ queryKey: [name] });
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
