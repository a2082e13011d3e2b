import type { Json, Micros, Remark } from "../ground/index.js";
import type { Evidence } from "../sources/index.js";
import type { SeenSource } from "./open-sources.js";
import type { HostSays, Usage } from "../model/index.js";

/** What became of a question: see the words in the guide. `failed` alone is not kept: it is asked again next time. */
export type AnswerState = "answered" | "declined" | "refused" | "filtered" | "cutShort" | "malformed" | "failed";

/** How sure an answer is, and how that was found. */
export interface Confidence {
  /** From 0 to 1. */
  readonly value: number;
  readonly by: "agreement" | "logProbabilities" | "stated";
  /** The same for each part that counts, where it can be told apart. */
  readonly parts?: Readonly<Record<string, number>> | undefined;
}

/** One request that went into an answer, beyond the plain question and its mend. */
export interface Exchange {
  readonly why: "asked" | "asked with others" | "asked again" | "mend" | "condense" | "second look" | "in doubt" | "research";
  readonly model: string;
  /** The reply as it came. */
  readonly raw: string;
  readonly usage: Usage;
  readonly spent: Micros;
}

interface AnswerBase {
  /** The model's last words, as they came; empty when it was not asked. */
  readonly raw: string;
  /** What was done to read the reply: `fenced`, `tidied`, `mended` … */
  readonly notes: readonly Remark[];
  /**
   * Requests that brought a reply: 0 (declined before asking), 1, 2 with a mend; more with doubt, a second look or long
   * inputs. One that several rows share counts for the first of them; its tokens, cost and time are shared evenly.
   */
  readonly asks: number;
  readonly usage: Usage;
  readonly spent: Micros;
  /** The form of the prompts that it answers (`PROMPT_FORM`); left out of the first. */
  readonly form?: number | undefined;
  /** What the host said of itself with the last reply. */
  readonly host?: HostSays | undefined;
  /** From the first request to the last reply. */
  readonly tookMs: number;
  readonly confidence?: Confidence | undefined;
  /** Every request, where more were made than the question and a mend. */
  readonly exchanges?: readonly Exchange[] | undefined;
  /** What was spent by model id, where more than one was asked. */
  readonly spentBy?: Readonly<Record<string, Micros>> | undefined;
  /** What was shown of pictures, documents and pages that the row names. */
  readonly seen?: readonly SeenSource[] | undefined;
  /** The words that carry its parts, where they are demanded. */
  readonly evidence?: Readonly<Record<string, Evidence>> | undefined;
  /** The parts as they were before the second look, where there was one. */
  readonly firstParts?: Readonly<Record<string, Json>> | undefined;
}

/** The typed values that one question yielded, or the reason why there are none. */
export type Answer<Parts = Record<string, Json>> =
  | (AnswerBase & { readonly state: "answered"; readonly parts: Parts; readonly reason?: undefined })
  | (AnswerBase & { readonly state: Exclude<AnswerState, "answered">; readonly parts?: undefined; readonly reason: Remark });
