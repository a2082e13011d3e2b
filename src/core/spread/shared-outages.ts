import * as z from "zod/mini";
import type { Outages } from "../asking/index.js";
import { keep, readKept, toldOrAborted, type CancelSignal, type Clock, type StoredForm } from "../ground/index.js";
import type { Ledger } from "../ledger/index.js";

/** A host that a process has found down. */
export interface OutageRecord {
  readonly host: string;
  readonly why: string;
  readonly since: number;
  /** Who looks after it has not been heard since; the longest wait between two looks is half a minute. */
  readonly at: number;
}

const OUTAGE: StoredForm<OutageRecord> = {
  format: 1,
  schema: z.object({ host: z.string(), why: z.string(), since: z.number(), at: z.number() }),
};
const OUTAGE_NAMES = "down:";
/** Of whoever has not been heard for so long, nobody waits for the word. */
const UNHEARD_MS = 45_000;

/** The hosts that are down at this moment, as those say who found them so. */
export async function outagesNow({ facts }: Pick<Ledger, "facts">, clock: Clock): Promise<readonly OutageRecord[]> {
  const all = [...(await facts.find(OUTAGE_NAMES)).values()].flatMap((kept) => readKept(OUTAGE, kept) ?? []);
  return all.filter(({ at }) => Math.abs(clock.now() - at) < UNHEARD_MS);
}

/** What all processes that share a ledger know of hosts that are down; it is as new as the last `look`. */
export class SharedOutages implements Outages {
  #down = new Map<string, OutageRecord>();
  /** Those that this process looks after. */
  readonly #own = new Map<string, OutageRecord>();
  #waiting: (() => void)[] = [];
  #telling: Promise<void> = Promise.resolve();

  constructor(
    readonly ledger: Pick<Ledger, "facts">,
    readonly clock: Clock,
  ) {}

  /** Reads what others say. */
  async look(): Promise<void> {
    const now = new Map((await outagesNow(this.ledger, this.clock)).map((one) => [one.host, one]));
    // Whoever of ours looked after a host may be gone without having seen it come back.
    for (const [host, { at }] of this.#own) if (this.clock.now() - at >= UNHEARD_MS) this.#own.delete(host);
    this.#down = now;
    // Those whose host is still down wait on.
    this.#wake();
  }

  downSince(host: string): number | undefined {
    return (this.#own.get(host) ?? this.#down.get(host))?.since;
  }

  changed(signal: CancelSignal | undefined): Promise<void> {
    return toldOrAborted(this.#waiting, signal);
  }

  tell(host: string, why: string | undefined): void {
    const at = this.clock.now();
    if (why === undefined) {
      this.#own.delete(host);
      this.#down.delete(host);
      this.#wake();
    } else this.#own.set(host, { host, why, since: (this.#own.get(host) ?? this.#down.get(host))?.since ?? at, at });
    const record = this.#own.get(host);
    const name = OUTAGE_NAMES + host;
    const { facts } = this.ledger;
    // What cannot be told now is told with the next look at the host; the others find out by themselves meanwhile.
    this.#telling = this.#telling
      .then(() => (record ? facts.set(name, keep(OUTAGE, record)) : facts.remove([name])))
      .catch(() => undefined);
  }

  /** Resolves once all is told. Nobody waits for this process any more. */
  async end(): Promise<void> {
    for (const host of this.#own.keys()) this.tell(host, undefined);
    await this.#telling;
  }

  #wake(): void {
    const all = this.#waiting;
    this.#waiting = [];
    for (const wake of all) wake();
  }
}
