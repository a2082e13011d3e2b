import { useSyncExternalStore } from "react";
import { problemOf } from "./server.js";

/** Something that a person did, and the way to take it back. */
export interface Act {
  readonly says: string;
  readonly undo?: (() => Promise<void>) | undefined;
  readonly isProblem?: boolean | undefined;
}

const MOST_KEPT = 100;
let acts: readonly Act[] = [];
const listeners = new Set<() => void>();

function keep(next: readonly Act[]): void {
  acts = next.slice(-MOST_KEPT);
  for (const tell of listeners) tell();
}

/** Tells what was done, in the foot and to those who listen to the page; with a way back it can be undone. */
export const didAct = (act: Act): void => keep([...acts, act]);

/** Tells that something did not work. */
export const failed = (error: unknown): void => didAct({ says: problemOf(error), isProblem: true });

/** Takes the newest act back that can be. */
export async function undoLast(): Promise<void> {
  const act = acts.findLast(({ undo }) => undo);
  if (!act?.undo) return didAct({ says: "There is nothing to undo." });
  keep(acts.filter((one) => one !== act));
  try {
    await act.undo();
    didAct({ says: `Undone: ${act.says}` });
  } catch (error) {
    failed(error);
  }
}

export const useActs = (): readonly Act[] =>
  useSyncExternalStore(
    (tell) => {
      listeners.add(tell);
      return () => void listeners.delete(tell);
    },
    () => acts,
  );
