import { ModelFailure } from "../model/index.js";
import { Asker, type AskerSetup } from "./asker.js";
import { modelsAsked, type Answered, type Question } from "./asking.js";
import type { Budget } from "./budget.js";

/** Questions that are looked up together. */
const SOME = 128;

/** A way to the models that stays open for any number of questions, with one run's caps and charges. */
export interface OpenAsking {
  readonly budget: Budget;
  /**
   * Asks questions: each comes out with its answer as soon as it stands, in any order; known ones at once.
   *
   * @throws ModelFailure when a model cannot be used, BudgetSpent when a cap leaves no room: nothing more of these questions is asked
   * then, and what was answered is recorded.
   */
  answers<Q extends Question>(questions: readonly Q[]): AsyncGenerator<Answered<Q>>;
  /** Waits for what is in flight, records what it was charged, and gives back what was reserved. */
  close(): Promise<void>;
}

/** Where answers to some questions are waited for. */
interface Sink {
  readonly ready: Answered<Sent>[];
  failure: { readonly error: unknown } | undefined;
  wake: () => void;
}

interface Sent extends Question {
  readonly of: Question;
  readonly sink: Sink;
}

export function openAsking(setup: AskerSetup): OpenAsking {
  const asker = new Asker<Sent>(setup, {
    mayAsk: ({ sink }) => sink.failure === undefined,
    take: (answered) => {
      const { sink } = answered.question;
      sink.ready.push(answered);
      sink.wake();
    },
    leave: ({ sink }, error) => {
      sink.failure ??= { error: error ?? new ModelFailure("cancelled", "cancelled") };
      sink.wake();
    },
  });
  return {
    budget: asker.budget,
    async *answers<Q extends Question>(questions: readonly Q[]) {
      const sink: Sink = { ready: [], failure: undefined, wake: () => undefined };
      let left = questions.length;
      const ask = async (): Promise<void> => {
        for (let from = 0; from < questions.length && !sink.failure; from += SOME) {
          sink.ready.push(...(await asker.ask(questions.slice(from, from + SOME).map((of): Sent => ({ ...of, of, sink })))));
          sink.wake();
        }
        // The last ones have no company to wait for.
        await asker.sendWaiting();
      };
      const asking = ask().catch((error: unknown) => {
        sink.failure ??= { error };
        sink.wake();
      });
      while (left > 0 && !sink.failure) {
        if (sink.ready.length === 0) await new Promise<void>((resolve) => (sink.wake = resolve));
        for (const { question, ...rest } of sink.ready.splice(0)) {
          left--;
          yield { ...rest, question: question.of as Q };
        }
      }
      await asking;
      if (sink.failure) throw sink.failure.error;
    },
    close: () => asker.close(),
  };
}

/**
 * Asks one question.
 *
 * @throws ModelFailure, BudgetSpent.
 */
export async function askOne<Q extends Question>(setup: Omit<AskerSetup, "models">, question: Q): Promise<Answered<Q>> {
  const asking = openAsking({ ...setup, models: modelsAsked([question.asking]) });
  try {
    for await (const answered of asking.answers([question])) return answered;
    throw new ModelFailure("cancelled", "cancelled");
  } finally {
    await asking.close();
  }
}
