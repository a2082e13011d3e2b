import type { Json } from "../ground/index.js";
import { untypedPrepared, type Prepared } from "../template/index.js";
import type { AskOptions } from "./ask-options.js";
import { askPrepared } from "./ask.js";
import type { AnswerOf } from "./together.js";

/**
 * Asks about several rows in one request; see `together.ts`, which is loaded when it is first needed: most pages ask about one
 * row at a time.
 */
export async function* askTogether<Inputs, Parts>(
  prepared: Prepared<Inputs, Parts>,
  rows: readonly Readonly<Record<string, Json>>[],
  options: AskOptions,
): AsyncGenerator<AnswerOf<Parts>> {
  if (rows.length === 1) {
    yield { row: 0, answer: await askPrepared(prepared, rows[0]!, options) };
    return;
  }
  const together = await import("./together.js");
  yield* together.askTogether(untypedPrepared(prepared), rows, options) as AsyncGenerator<AnswerOf<Parts>>;
}
