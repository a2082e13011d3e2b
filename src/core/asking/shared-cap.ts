import type { CancelSignal, Clock, Micros } from "../ground/index.js";
import { monthStart, type Ledger } from "../ledger/index.js";

/** As long as the process lives that reserved it, or gives it back. */
const FOR_EVER = Number.MAX_SAFE_INTEGER;
/** So many requests like the one at hand are reserved for at a time, while plenty is left. */
const AHEAD = 32;
/** How often it is looked whether others gave something back. */
const LOOK_AGAIN_MS = 100;

/**
 * The month's cap, which all processes on a ledger spend of, or that of a run that several fill together. Room is reserved in the ledger before it is used, some requests
 * ahead, so that no two processes pass the cap together; what a request was charged stays reserved until the charge
 * itself stands in the ledger.
 */
export class SharedCap {
  /** What the ledger holds for us. */
  #held: Micros = 0;
  #hasReserved = false;
  #reservedAt = -Infinity;
  /** Reserved by requests in flight, or charged and not yet recorded. */
  #used: Micros = 0;
  /** Recorded since we last asked the ledger for room, which may or may not have seen it. */
  #recordedMeanwhile: Micros = 0;
  /** One asks the ledger at a time. */
  #turn: Promise<unknown> = Promise.resolve();

  constructor(
    readonly ledger: Pick<Ledger, "charges" | "leases">,
    readonly clock: Clock,
    readonly holder: string,
    readonly cap: Micros,
    /** Of one run, which several processes fill together; without one it is the month's. */
    readonly run?: string,
  ) {}

  get why(): "month" | "run" {
    return this.run === undefined ? "month" : "run";
  }

  #since(now: number): number {
    return this.run === undefined ? monthStart(now) : 0;
  }

  /** Takes room for a request; `false` where there is none. */
  async cover(amount: Micros): Promise<boolean> {
    if (this.#hasRoom(amount)) {
      this.#used += amount;
      return true;
    }
    const turn = this.#turn.then(() => this.#extend(amount));
    this.#turn = turn.catch(() => undefined);
    return turn;
  }

  /** Whether it is below what is held for us; what a process that was not seen for a while had is others' by now. */
  #hasRoom(amount: Micros): boolean {
    return this.#used + amount <= this.#held && !this.#mayHaveLost;
  }

  get #mayHaveLost(): boolean {
    return this.ledger.leases.mayHaveLost?.(this.#reservedAt) === true;
  }

  async #extend(amount: Micros): Promise<boolean> {
    // Others of ours may use up what was granted while it is on its way.
    while (!this.#hasRoom(amount)) {
      const needs = this.#used + amount;
      if (await this.#reserve(needs, needs + AHEAD * amount)) {
        // Not seen still: what is reserved counts for nothing until we are.
        if (this.#mayHaveLost) return false;
        continue;
      }
      // What is not in use is given back, so that those who wait for each other do not wait for ever; also where we count on nothing more,
      // for the ledger may hold more for us.
      if (this.#used === 0) await this.#giveBack();
      else if (this.#hasReserved) {
        this.#held = this.#used;
        await this.#reserve(this.#used, this.#used);
      }
      return false;
    }
    this.#used += amount;
    return true;
  }

  async #reserve(needs: Micros, wants: Micros): Promise<boolean> {
    const now = this.clock.now();
    this.#recordedMeanwhile = 0;
    this.#reservedAt = now;
    const held = await this.ledger.charges.reserve({
      holder: this.holder,
      needs,
      wants,
      cap: this.cap,
      since: this.#since(now),
      run: this.run,
      until: FOR_EVER,
      now,
    });
    // The ledger may hold more for us than we count on.
    this.#hasReserved ||= held !== undefined;
    if (held !== undefined) this.#held = Math.max(0, held - this.#recordedMeanwhile);
    return held !== undefined;
  }

  /** A request is over: what it was not charged is free again. */
  settle(reserved: Micros, charged: Micros): void {
    this.#used -= reserved - charged;
  }

  /** Charges stand in the ledger, which lowered the reservation by them. */
  recorded(amount: Micros): void {
    this.#recordedMeanwhile += amount;
    this.#held = Math.max(0, this.#held - amount);
    this.#used = Math.max(0, this.#used - amount);
  }

  /** What the cap leaves, whatever others have reserved of it. */
  async left(): Promise<Micros> {
    return Math.max(0, this.cap - (await this.ledger.charges.since(this.#since(this.clock.now()), this.run)));
  }

  /** Waits a moment for others to give back what they have reserved. */
  async wait(signal?: CancelSignal): Promise<void> {
    await this.clock.sleep(LOOK_AGAIN_MS, signal).catch(() => undefined);
  }

  /** Gives back what is reserved, where nothing is in flight. */
  release(): Promise<void> {
    // After what is being asked of the ledger: what it grants must not be given back unseen.
    const turn = this.#turn.then(() => this.#giveBack());
    this.#turn = turn.catch(() => undefined);
    return turn;
  }

  async #giveBack(): Promise<void> {
    if (!this.#hasReserved || this.#used > 0) return;
    this.#hasReserved = false;
    this.#held = 0;
    await this.ledger.charges.release(this.holder);
  }
}
