import type { CancelSignal, Clock, Json, Remark } from "../ground/index.js";
import type { AskedModel } from "../model/index.js";
import type { Prepared } from "../template/index.js";
import type { Objection } from "./question.js";
import type { Recall } from "./recall.js";

/** How a question is asked. */
export interface AskOptions {
  readonly model: AskedModel;
  /** The models that the template names besides its own, by name: for a second look, or when in doubt. */
  readonly others?: Readonly<Record<string, AskedModel>> | undefined;
  readonly clock: Clock;
  readonly signal?: CancelSignal | undefined;
  readonly recall?: Recall | undefined;
  /** Numbers repeated asks of the same question, so that one with a temperature gets other draws. Default 0. */
  readonly ask?: number | undefined;
  /** What code makes of the answer: `prepared` then says what that is, and a reading of its own is asked for. */
  readonly working?: Working | undefined;
  /** Ask for such a reading even where it is known. */
  readonly fresh?: boolean | undefined;
  /** An earlier answer, and what a person said of it: the model sees both. */
  readonly again?: Objection | undefined;
}

/** What code makes of what a model read: the answer's parts are the code's, and the model's reading is a question of its own. */
export interface Working {
  /** What the model is asked first. */
  readonly reading: Prepared;
  /** Its inputs, from those of the question. */
  inputs(inputs: Readonly<Record<string, Json>>): Readonly<Record<string, Json>>;
  /** Stands for what the code rests on besides: when it changes, the code works again, and the reading is not asked again. */
  readonly basis: string;
  /** The answer's parts; or why there are none. */
  work(parts: Readonly<Record<string, Json>>, inputs: Readonly<Record<string, Json>>, ask: AskFurther): Promise<Worked>;
}

export type Worked = { readonly parts: Readonly<Record<string, Json>> } | { readonly declined: Remark };

/** Asks something further, unless its answer is known; gives its parts. */
export type AskFurther = (
  prepared: Prepared,
  inputs: Readonly<Record<string, Json>>,
) => Promise<Readonly<Record<string, Json>> | { readonly declined: Remark }>;
