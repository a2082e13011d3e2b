import type { Clock, Micros } from "../ground/index.js";
import { monthStart, type ChargeStore } from "../ledger/index.js";

/** As long as the process lives that reserved it, or gives it back. */
const FOR_EVER = Number.MAX_SAFE_INTEGER;
/** So many requests like the one at hand are reserved for at a time, while plenty is left. */
const AHEAD = 32;

/**
 * The month's cap, which all processes on a ledger spend of. Room is reserved in the ledger before it is used, some requests
 * ahead, so that no two processes pass the cap together; what a request was charged stays reserved until the charge
 * itself stands in the ledger.
 */
export class SharedCap {
  /** What the ledger holds for us. */
  #held: Micros = 0;
  /** Reserved by requests in flight, or charged and not yet recorded. */
  #used: Micros = 0;
  /** One asks the ledger at a time. */
  #turn: Promise<unknown> = Promise.resolve();

  constructor(
    readonly charges: ChargeStore,
    readonly clock: Clock,
    readonly holder: string,
    readonly cap: Micros,
  ) {}

  /** Takes room for a request; `false` where there is none. */
  async cover(amount: Micros): Promise<boolean> {
    if (this.#used + amount <= this.#held) {
      this.#used += amount;
      return true;
    }
    const turn = this.#turn.then(() => this.#extend(amount));
    this.#turn = turn.catch(() => undefined);
    return turn;
  }

  async #extend(amount: Micros): Promise<boolean> {
    if (this.#used + amount > this.#held) {
      const needs = this.#used + amount;
      const now = this.clock.now();
      const held = await this.charges.reserve({ holder: this.holder, needs, wants: needs + AHEAD * amount, cap: this.cap, since: monthStart(now), until: FOR_EVER, now });
      if (held === undefined) return false;
      this.#held = held;
    }
    this.#used += amount;
    return true;
  }

  /** A request is over: what it was not charged is free again. */
  settle(reserved: Micros, charged: Micros): void {
    this.#used -= reserved - charged;
  }

  /** Charges stand in the ledger, which lowered the reservation by them. */
  recorded(amount: Micros): void {
    this.#held = Math.max(0, this.#held - amount);
    this.#used = Math.max(0, this.#used - amount);
  }

  /** What the cap leaves. */
  async left(): Promise<Micros> {
    return Math.max(0, this.cap - (await this.charges.since(monthStart(this.clock.now()))));
  }

  /** Gives back what was reserved and not used. */
  async release(): Promise<void> {
    if (this.#held === 0) return;
    this.#held = 0;
    await this.charges.release(this.holder);
  }
}
