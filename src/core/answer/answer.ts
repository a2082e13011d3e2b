import type { Json, Micros } from "../ground/index.js";
import type { Usage } from "../model/index.js";

/** What became of a question: see the words in the guide. `failed` alone is not kept: it is asked again next time. */
export type AnswerState = "answered" | "declined" | "refused" | "filtered" | "cutShort" | "malformed" | "failed";

interface AnswerBase {
  /** The model's last words, as they came; empty when it was not asked. */
  readonly raw: string;
  /** What was done to read the reply: `fenced`, `tidied hazard`, `mended` … */
  readonly notes: readonly string[];
  /** Requests that brought a reply: 0 (declined before asking), 1, or 2 with a mend. */
  readonly asks: number;
  readonly usage: Usage;
  readonly spent: Micros;
  /** From the first request to the last reply. */
  readonly tookMs: number;
}

/** The typed values that one question yielded, or the reason why there are none. */
export type Answer<Parts = Record<string, Json>> =
  | (AnswerBase & { readonly state: "answered"; readonly parts: Parts; readonly reason?: undefined })
  | (AnswerBase & { readonly state: Exclude<AnswerState, "answered">; readonly parts?: undefined; readonly reason: string });
