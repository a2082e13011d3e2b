import { canonicalJson, plainJson } from "../ground/index.js";

/** What legwork is to be done for a row: its searches and addresses with the row's values in them, and what is asked. */
export interface Errand {
  readonly search: readonly string[];
  readonly read: readonly string[];
  /** The task's words, by which passages are chosen. */
  readonly about: string;
}

/** The errand that stands as the name of a source. */
export const errandName = (errand: Errand): string => canonicalJson(plainJson(errand));
