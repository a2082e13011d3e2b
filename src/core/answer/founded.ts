import type { Json, Remark } from "../ground/index.js";
import type { Evidence } from "../sources/index.js";

/** The parts of a reply, with the words that carry them where they were looked for. */
export interface Founded {
  readonly parts: Record<string, Json>;
  readonly evidence?: Readonly<Record<string, Evidence>> | undefined;
  /** What is wrong with parts whose words were not found, in words that a model can act on. */
  readonly unfounded: readonly string[];
  /** What a person should know of it. */
  readonly notes: readonly Remark[];
}

/** All that was given, also what no words were found for. */
export const valuesGiven = ({ parts, evidence }: Pick<Founded, "parts" | "evidence">): Record<string, Json> =>
  evidence
    ? {
        ...parts,
        ...Object.fromEntries(Object.entries(evidence).flatMap(([part, one]) => (one.found === "never" ? [[part, one.value]] : []))),
      }
    : parts;
