import { declined, inputCellsOf, type Answer } from "../answer/index.js";
import type { CancelSignal, Clock, Json } from "../ground/index.js";
import { memoryLedger } from "../ledger/index.js";
import type { Model } from "../model/index.js";
import {
  prepare,
  gatherInputs,
  untypedPrepared,
  type Prepared,
  type References,
  type Surroundings,
  type Template,
} from "../template/index.js";
import { askOne } from "./open-asking.js";
import { readyAsking } from "./asking.js";

/**
 * Asks one question of a template, typed from end to end.
 *
 * @param template or what `prepare` made of it; its references and surroundings are those that it was prepared with.
 * @returns the answer; its `state` tells whether it has `parts`. A missing required input declines without asking.
 * @throws ModelFailure when the model cannot be used at all (wrong key, quota spent, request rejected).
 * @example
 * ```ts
 * import { ask, systemClock, template } from "yoroshi";
 * import { standin } from "yoroshi/standin";
 *
 * const late = template({ name: "late", inputs: { note: { kind: "text" } }, task: "Is the boat late? {{ note }}", answer: { late: { kind: "yesNo" } } });
 * const answer = await ask(late, { note: "The boat was late." }, { model: standin(), clock: systemClock() });
 * answer.state; // => "answered"
 * if (answer.state === "answered") answer.parts.late; // boolean
 * ```
 */
export async function ask<Inputs, Parts>(
  template: Template<Inputs, Parts> | Prepared<Inputs, Parts>,
  inputs: Inputs,
  options: {
    readonly model: Model;
    readonly others?: Readonly<Record<string, Model>>;
    readonly clock: Clock;
    readonly references?: References;
    readonly surroundings?: Surroundings;
    readonly signal?: CancelSignal;
  },
): Promise<Answer<Parts>> {
  const { model, others, clock, signal } = options;
  const prepared = untypedPrepared("render" in template ? template : prepare(template, options.references, options.surroundings));
  const reading = await gatherInputs(prepared, inputCellsOf(prepared, inputs as Record<string, Json | undefined>));
  if (reading.state !== "ready") return declined(reading.reason);
  const asking = readyAsking({ prepared, version: 1, model, others });
  const question = { asking, inputs: reading.inputs, fingerprint: asking.fingerprint(reading.inputs) };
  const { answer } = await askOne({ ledger: memoryLedger(), clock, run: "ask", drop: signal }, question);
  // The parts were read against this template's kinds.
  return answer as Answer<Parts>;
}
