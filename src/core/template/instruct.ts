import { tellNamed, type Shaped } from "../kinds/index.js";
import { tellRule, type Rule } from "./rules.js";

/** A spec made ready for use, with the name that the template gives it. */
export interface NamedShape extends Shaped {
  readonly name: string;
}

/**
 * Writes, from the answer's kinds, what the answer must look like; the analyst never writes format instructions.
 */
export function tellAnswer(parts: readonly NamedShape[], rules: readonly Rule[] = []): string {
  const lines = [
    "Answer with one JSON object and nothing else. Its members, in this order:",
    ...parts.map((part) => tellNamed(part.name, part.spec.about, part.tell())),
  ];
  return [...lines, ...rules.map((rule) => `Rule: ${tellRule(rule)}`)].join("\n");
}
