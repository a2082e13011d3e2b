import type { Recall } from "../answer/index.js";
import type { Ledger } from "./ledger.js";

/** Keeps answers to questions inside questions in the ledger, under fingerprints of their own. */
export function recallFrom(ledger: Ledger, about: { readonly version: number; readonly model: string; readonly run: string; readonly now: () => number }): Recall {
  const { now, ...rest } = about;
  return {
    known: async (fingerprint) => (await ledger.answers([fingerprint]))[0]?.answer,
    keep: (fingerprint, template, answer) => ledger.record({ answers: [{ fingerprint, template, ...rest, at: now(), answer }] }),
  };
}
