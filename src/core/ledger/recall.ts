import type { Recall } from "../answer/index.js";
import type { Ledger } from "./ledger.js";

/** Templates of our own, such as the one that condenses, have no versions in the ledger; their text is in the fingerprint. */
const OWN_VERSION = 1;

/** Keeps answers to questions inside questions in the ledger, under fingerprints of their own. */
export function recallFrom(ledger: Ledger, about: { readonly model: string; readonly run: string; readonly now: () => number }): Recall {
  const { now, ...rest } = about;
  return {
    known: async (fingerprint) => (await ledger.answers.find([fingerprint]))[0]?.answer,
    keep: (fingerprint, template, answer) =>
      ledger.record({ answers: [{ fingerprint, template, version: OWN_VERSION, ...rest, at: now(), answer }] }),
  };
}
