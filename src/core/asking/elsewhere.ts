import type { Answer } from "../answer/index.js";
import type { CancelSignal, Clock } from "../ground/index.js";
import type { Ledger } from "../ledger/index.js";
import type { Question } from "./asking.js";

/** How long a question is ours to ask, unless we are done with it before. A process that dies lets go at once. */
const LEASE_MS = 600_000;
/** How often it is looked whether another is done with a question. */
const LOOK_AGAIN_MS = 200;

const nameOf = (fingerprint: string): string => `ask:${fingerprint}`;

interface Waiting<Q extends Question> {
  readonly question: Q;
  readonly since: number;
  /** Told the other's answer; without one, the question is ours, unless there is an error. */
  readonly settle: (answer: Answer | undefined, error?: unknown) => Promise<void>;
}

/** Which questions are ours to ask, and which another process asks at this moment. */
export class Elsewhere<Q extends Question> {
  /** With when they were claimed. */
  readonly #ours = new Map<string, number>();
  readonly #theirs = new Set<string>();
  #waiting: Waiting<Q>[] = [];
  #looks = false;

  constructor(
    readonly ledger: Ledger,
    readonly clock: Clock,
    readonly holder: string,
    /** Whether nothing is asked any more, so that nobody is waited for either. */
    readonly isOver: () => boolean,
    /** Told while others are waited for, again and again: who waits must keep nothing from them. */
    readonly onWait: () => void = () => undefined,
  ) {}

  /** Whether another process asks it. */
  has(fingerprint: string): boolean {
    return this.#theirs.has(fingerprint);
  }

  /** Claims questions; gives those that are ours to ask. */
  async claim(fingerprints: readonly string[]): Promise<string[]> {
    const wanted = [...new Set(fingerprints)].filter((one) => !this.#ours.has(one) && !this.#theirs.has(one));
    if (wanted.length === 0) return [];
    const now = this.clock.now();
    const taken = await this.ledger.leases.take(wanted.map(nameOf), { holder: this.holder, until: now + LEASE_MS, now });
    for (const [index, one] of wanted.entries()) {
      if (taken[index]) this.#ours.set(one, now);
      else this.#theirs.add(one);
    }
    return wanted.filter((_, index) => taken[index]);
  }

  /** Whether a question that was ours may be another's by now. */
  mayHaveLost(fingerprint: string): boolean {
    const claimedAt = this.#ours.get(fingerprint);
    return claimedAt !== undefined && this.ledger.leases.mayHaveLost?.(claimedAt) === true;
  }

  /** Claims such a question anew. */
  async claimAgain(fingerprint: string): Promise<boolean> {
    this.#ours.delete(fingerprint);
    return (await this.claim([fingerprint])).length > 0;
  }

  /** The names to let go of for questions that are done with, where they are ours. */
  forget(fingerprints: readonly string[]): string[] {
    return fingerprints.filter((one) => this.#ours.delete(one)).map(nameOf);
  }

  async release(fingerprints: readonly string[]): Promise<void> {
    const names = this.forget(fingerprints);
    if (names.length > 0) await this.ledger.leases.release(this.holder, names);
  }

  close(): Promise<void> {
    return this.release([...this.#ours.keys()]);
  }

  /** Waits for another's answer; without one, the question is ours. */
  wait(question: Q, settle: Waiting<Q>["settle"], drop: CancelSignal | undefined): void {
    this.#waiting.push({ question, since: this.clock.now(), settle });
    if (!this.#looks) void this.#lookAgain(drop);
  }

  async #lookAgain(drop: CancelSignal | undefined): Promise<void> {
    this.#looks = true;
    while (this.#waiting.length > 0) {
      const isDropped = await this.clock.sleep(LOOK_AGAIN_MS, drop).then(
        () => false,
        () => true,
      );
      this.onWait();
      const waiting = this.#waiting;
      this.#waiting = [];
      try {
        await this.#look(waiting, isDropped);
      } catch (error) {
        for (const { settle } of waiting) void settle(undefined, error);
      }
    }
    this.#looks = false;
  }

  async #look(waiting: readonly Waiting<Q>[], isDropped: boolean): Promise<void> {
    const fingerprints = waiting.map(({ question }) => question.fingerprint);
    for (const one of fingerprints) this.#theirs.delete(one);
    const ours = new Set(isDropped ? fingerprints : await this.claim(fingerprints));
    const records = await this.ledger.answers.find(fingerprints);
    for (const [index, one] of waiting.entries()) {
      const record = records[index];
      const answer = record && (!one.question.fresh || record.at >= one.since) ? record.answer : undefined;
      if (answer) await this.release([one.question.fingerprint]);
      if (answer || ours.has(one.question.fingerprint) || this.isOver()) void one.settle(answer);
      else this.#waiting.push(one);
    }
  }
}
