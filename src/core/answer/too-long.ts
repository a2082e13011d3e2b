import { countChars, type Json } from "../ground/index.js";
import type { Prepared } from "../template/index.js";

export interface LongInput {
  readonly name: string;
  readonly text: string;
  readonly maxChars: number;
}

/** The inputs that are condensed before a question is asked. */
export function tooLong(prepared: Prepared, inputs: Readonly<Record<string, Json>>): LongInput[] {
  return Object.entries(prepared.template.whenLong ?? {}).flatMap(([name, way]) => {
    const text = inputs[name];
    const { maxChars } = (prepared.inputs.find((input) => input.name === name)?.spec ?? {}) as { maxChars?: number };
    return way === "condense" && typeof text === "string" && maxChars !== undefined && countChars(text) > maxChars
      ? [{ name, text, maxChars }]
      : [];
  });
}
