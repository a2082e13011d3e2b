import { remark, type Json, type Remark } from "../ground/index.js";
import { quotedFrom, type Evidence } from "../sources/index.js";
import { apart, needsWords, type Prepared } from "../template/index.js";
import type { Founded } from "./founded.js";

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
  return { parts, evidence, unfounded, notes: unfoundedNote(evidence) };
}

/** What is told of parts that are blank for want of words that carry them. */
const unfoundedNote = (evidence: Founded["evidence"]): Remark[] => {
  const parts = Object.entries(evidence ?? {}).flatMap(([part, { found }]) => (found === "never" ? [part] : []));
  return parts.length > 0 ? [remark("unfounded", { parts })] : [];
};
