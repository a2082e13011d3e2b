import { remark, type Json, type Remark } from "../ground/index.js";
import { quotedFrom, type Evidence } from "../sources/index.js";
import { apart, needsWords, type Prepared } from "../template/index.js";

/** The parts of a reply, with the words that carry them where they were looked for. */
export interface Founded {
  readonly parts: Record<string, Json>;
  readonly evidence?: Readonly<Record<string, Evidence>> | undefined;
  /** What is wrong with parts whose words were not found, in words that a model can act on. */
  readonly unfounded: readonly string[];
}

/**
 * Looks for the words that carry each part in the inputs that the template names. A part whose words are not there is null.
 *
 * @param found how they came, where they are there.
 */
export function lookForEvidence(
  { parts: shapes, quotedIn }: Prepared,
  inputs: Readonly<Record<string, Json>>,
  read: Readonly<Record<string, Json>>,
  found: "atOnce" | "mended",
): Founded {
  const demanding = shapes.filter(({ spec }) => spec.evidence);
  if (demanding.length === 0) return { parts: read, unfounded: [] };
  const parts: Record<string, Json> = { ...read };
  const evidence: Record<string, Evidence> = {};
  const unfounded: string[] = [];
  const quoted = quotedFrom(quotedIn?.(inputs) ?? inputs);
  for (const { name, spec } of demanding) {
    const { value, words } = apart(spec, read[name]!);
    parts[name] = value;
    const there = words ? quoted.find(words, spec.evidence!.in) : undefined;
    if (there) evidence[name] = { found, ...there };
    else if (needsWords(spec, value)) {
      parts[name] = null;
      evidence[name] = { found: "never", said: words ?? "", value };
      const from = spec.evidence!.in.join(" or ");
      unfounded.push(
        words
          ? `"${name}" has a "quote" that does not stand in ${from}; copy words of it letter by letter, or say null`
          : `"${name}" needs a "quote" of ${from}, copied letter by letter`,
      );
    }
  }
  return { parts, evidence, unfounded };
}

/** All that was given, also what no words were found for. */
export const valuesGiven = ({ parts, evidence }: Pick<Founded, "parts" | "evidence">): Record<string, Json> =>
  evidence
    ? {
        ...parts,
        ...Object.fromEntries(Object.entries(evidence).flatMap(([part, one]) => (one.found === "never" ? [[part, one.value]] : []))),
      }
    : parts;

/** What is told of parts that are blank for want of words that carry them. */
export const unfoundedNote = (evidence: Founded["evidence"]): Remark[] => {
  const parts = Object.entries(evidence ?? {}).flatMap(([part, { found }]) => (found === "never" ? [part] : []));
  return parts.length > 0 ? [remark("unfounded", { parts })] : [];
};
