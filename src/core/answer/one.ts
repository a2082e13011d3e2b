import type { CancelSignal, Clock, Json } from "../ground/index.js";
import { checkedUsage, retrying, type Model } from "../model/index.js";
import { prepare, readInputs, type Prepared, type References, type Surroundings, type Template } from "../template/index.js";
import type { Answer } from "./answer.js";
import { askPrepared } from "./ask.js";

/**
 * Asks one question of a template, typed from end to end.
 *
 * @returns the answer; its `state` tells whether it has `parts`. A missing required input declines without asking.
 * @throws ModelFailure when the model cannot be used at all (wrong key, quota spent, request rejected).
 * @example
 * const answer = await ask(tone, { note: "All fine here." }, { model, clock });
 * if (answer.state === "answered") answer.parts.tone; // "calm" | "upset"
 */
export async function ask<Inputs, Parts>(
  template: Template<Inputs, Parts>,
  inputs: Inputs,
  options: { readonly model: Model; readonly others?: Readonly<Record<string, Model>>; readonly clock: Clock; readonly references?: References; readonly surroundings?: Surroundings; readonly signal?: CancelSignal },
): Promise<Answer<Parts>> {
  const prepared = prepare(template, options.references, options.surroundings);
  const reading = readInputs(prepared, inputCellsOf(prepared as unknown as Prepared, inputs as Record<string, Json | undefined>));
  if (reading.state !== "ready") return declined(reading.reason);
  const layer = (model: Model): Model => retrying(options.clock)(checkedUsage()(model));
  const others = Object.fromEntries(Object.entries(options.others ?? {}).map(([name, model]) => [name, layer(model)]));
  return askPrepared(prepared, reading.inputs, { model: layer(options.model), others, clock: options.clock, signal: options.signal });
}

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
export function declined(reason: string): Exclude<Answer<never>, { state: "answered" }> {
  return { state: "declined", reason, raw: "", notes: [], asks: 0, usage: { tokensIn: 0, tokensOut: 0 }, spent: 0, tookMs: 0 };
}
