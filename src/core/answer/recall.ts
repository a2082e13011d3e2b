import type { Answer } from "./answer.js";

/** Answers to questions that lie inside another question, so that they are not asked twice either. */
export interface Recall {
  known(fingerprint: string): Promise<Answer | undefined>;
  keep(fingerprint: string, template: string, answer: Answer): Promise<void>;
}
