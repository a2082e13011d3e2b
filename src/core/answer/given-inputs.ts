import type { Json, Remark } from "../ground/index.js";
import type { Prepared } from "../template/index.js";
import type { Answer } from "./answer.js";

/** Typed inputs as cells, to be read like a row's: what is missing, too long or outside its kind is found the same way. */
export function inputCellsOf(prepared: Prepared, inputs: Readonly<Record<string, Json | undefined>>): Record<string, string | null> {
  return Object.fromEntries(
    prepared.inputs.map((input) => {
      const value = inputs[input.name];
      return [input.name, value === null || value === undefined ? null : input.toCell(value)];
    }),
  );
}

/** The answer of a question that was not asked. */
export function declined(reason: Remark): Exclude<Answer<never>, { state: "answered" }> {
  return { state: "declined", reason, raw: "", notes: [], asks: 0, usage: { tokensIn: 0, tokensOut: 0 }, spent: 0, tookMs: 0 };
}
