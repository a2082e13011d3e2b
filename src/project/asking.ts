import {
  modelsAsked,
  openAsking,
  ownSignal,
  readyAsking,
  YoroshiError,
  type Answer,
  type CancelSignal,
  type Clock,
  type Json,
  type Ledger,
  type Micros,
  type OpenAsking,
  type OwnSignal,
  type Prepared,
  type ReadyAsking,
  type Sha256,
} from "../core/index.js";
import type { TemplateModels } from "./loaded.js";

/** What of a project asking needs. */
export interface AskingProject {
  readonly clock: Clock;
  readonly monthlyCap: Micros | undefined;
  readonly sha256: Sha256;
  ledger(): Ledger;
}

/** Templates of our own have no versions in the ledger; their text is in the fingerprint. */
export const OWN_VERSION = async (): Promise<number> => 1;

/** What one question is about. */
export interface Asked {
  /** What its run is about: the template's name, or what else its cost is booked under. */
  readonly subject: string;
  readonly prepared: Prepared;
  /** The template's version. */
  readonly version: () => Promise<number>;
  readonly models: TemplateModels;
  readonly inputs: Readonly<Record<string, Json>>;
}

export interface AskedOptions {
  /** Ask even where the ledger has an answer. */
  readonly fresh?: boolean | undefined;
  /** Called before a question is asked whose answer is not known; what it throws refuses the question. */
  readonly admit?: (() => Promise<void>) | undefined;
  /** Aborted: the caller waits no longer; a request that nobody waits for is dropped. */
  readonly signal?: CancelSignal | undefined;
}

/** A run of single questions about one subject. */
interface OpenRun {
  readonly run: string;
  readonly asking: OpenAsking;
  asked: number;
}

const MOST_RECENT = 1_000;

/** Answers that were given lately: read from the ledger once, as long as no other process has recorded anything. */
class RecentAnswers {
  #mark = "";
  readonly #answers = new Map<string, Answer>();

  async find(ledger: Ledger, fingerprint: string): Promise<Answer | undefined> {
    const mark = await ledger.mark();
    if (mark !== this.#mark) this.#answers.clear();
    this.#mark = mark;
    const recent = this.#answers.get(fingerprint);
    if (recent) return recent;
    const [record] = await ledger.answers.find([fingerprint]);
    if (!record) return undefined;
    if (this.#answers.size >= MOST_RECENT) this.#answers.delete(this.#answers.keys().next().value!);
    this.#answers.set(fingerprint, record.answer);
    return record.answer;
  }

  /** It is asked afresh. */
  forget(fingerprint: string): void {
    this.#answers.delete(fingerprint);
  }
}

/** Those who wait for one answer. */
interface Waiting {
  callers: number;
  readonly request: OwnSignal;
}

/**
 * The project's way to its models for single questions. Those of one subject share a run, its caps and its breaker; equal ones
 * at the same time are one request.
 */
export class ProjectAsking {
  readonly #runs = new Map<string, Promise<OpenRun>>();
  readonly #ready = new WeakMap<Prepared, ReadyAsking>();
  readonly #waiting = new Map<string, Waiting>();
  readonly #inFlight = new Set<Promise<unknown>>();
  readonly #recent = new RecentAnswers();
  #isClosed = false;

  constructor(readonly project: AskingProject) {}

  /**
   * Asks one question; a known answer is not asked for again.
   *
   * @throws YoroshiError `projectClosed`; ModelFailure when the model cannot be used; BudgetSpent when the month's cap leaves no room.
   */
  async ask(asked: Asked, options: AskedOptions = {}): Promise<{ readonly answer: Answer; readonly known: boolean }> {
    if (this.#isClosed) throw new YoroshiError("projectClosed", {});
    const work = this.#ask(asked, options);
    this.#inFlight.add(work);
    try {
      return await work;
    } finally {
      this.#inFlight.delete(work);
    }
  }

  async #ask(asked: Asked, { fresh = false, signal, admit }: AskedOptions): Promise<{ readonly answer: Answer; readonly known: boolean }> {
    const asking = await this.#readyAsking(asked);
    const fingerprint = asking.fingerprint(asked.inputs);
    const known = fresh ? undefined : await this.#recent.find(this.project.ledger(), fingerprint);
    if (known) return { answer: known, known: true };
    await admit?.();
    // A fresh answer is asked for in a run of its own, which knows no earlier one.
    const open = fresh ? await this.#openRun(asked.subject, asking) : await this.#runOf(asked.subject, asking);
    this.#recent.forget(fingerprint);
    try {
      return await this.#awaited(fingerprint, signal, async (request) => {
        const question = { asking, inputs: asked.inputs, fingerprint, fresh, signal: request };
        for await (const { answer, came } of open.asking.answers([question])) {
          if (came === "asked") open.asked++;
          return { answer, known: came === "reused" };
        }
        throw new YoroshiError("projectClosed", {});
      });
    } finally {
      if (fresh) await this.#closeRun(open);
    }
  }

  async #readyAsking({ prepared, version, models: { model, others } }: Asked): Promise<ReadyAsking> {
    let ready = this.#ready.get(prepared);
    if (!ready || ready.model !== model)
      this.#ready.set(prepared, (ready = readyAsking({ prepared, version: await version(), model, others }, this.project.sha256)));
    return ready;
  }

  #runOf(subject: string, asking: ReadyAsking): Promise<OpenRun> {
    const name = JSON.stringify([subject, asking.model.id, asking.model.host]);
    let open = this.#runs.get(name);
    if (!open) this.#runs.set(name, (open = this.#openRun(subject, asking)));
    return open;
  }

  async #openRun(subject: string, asking: ReadyAsking): Promise<OpenRun> {
    const { clock, monthlyCap } = this.project;
    const ledger = this.project.ledger();
    const run = `try-${clock.now().toString(36)}-${Math.floor(clock.random() * 0xffffff).toString(36)}`;
    const models = modelsAsked([asking]);
    const opened = openAsking({ ledger, clock, run, models, monthlyCap });
    await ledger.runs.start({ id: run, kind: "try", subject, startedAt: clock.now() });
    return { run, asking: opened, asked: 0 };
  }

  /** Waits as one of the callers of a question; the request is dropped when none of them waits any more. */
  async #awaited<T>(fingerprint: string, signal: CancelSignal | undefined, ask: (request: CancelSignal) => Promise<T>): Promise<T> {
    const waiting = this.#waiting.get(fingerprint) ?? { callers: 0, request: ownSignal() };
    this.#waiting.set(fingerprint, waiting);
    waiting.callers++;
    const leave = (): void => {
      if (--waiting.callers > 0) return;
      this.#waiting.delete(fingerprint);
      waiting.request.abort();
    };
    const own = ownSignal(signal);
    try {
      return await Promise.race([ask(waiting.request.signal), untilAborted(own.signal)]);
    } finally {
      own.release();
      leave();
    }
  }

  /** Waits for what is in flight, records what was paid, and refuses what comes later. */
  async close(): Promise<void> {
    if (this.#isClosed) return;
    this.#isClosed = true;
    await Promise.allSettled(this.#inFlight);
    for (const open of this.#runs.values()) await this.#closeRun(await open);
  }

  async #closeRun({ run, asking, asked }: OpenRun): Promise<void> {
    await asking.close();
    await this.project
      .ledger()
      .runs.end({ id: run, endedAt: this.project.clock.now(), end: "done", tally: { asked, spent: asking.budget.spent } });
  }
}

/** Never resolves; rejects when the signal is aborted. */
function untilAborted(signal: CancelSignal): Promise<never> {
  return new Promise((_, reject) => {
    const tell = (): void => reject(signal.reason instanceof Error ? signal.reason : new YoroshiError("cancelled", {}));
    if (signal.aborted) tell();
    else signal.addEventListener("abort", tell, { once: true });
  });
}
