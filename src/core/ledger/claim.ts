import type { Clock } from "../ground/index.js";
import type { Ledger } from "./ledger.js";

/** As long as the process lives that took it. */
const FOR_EVER = Number.MAX_SAFE_INTEGER;

/** Holders of one process are told apart by their number, those of several by chance. */
let holders = 0;

/** A name of one's own, under which reservations and leases are held. */
export function holderName(clock: Clock): string {
  return `${clock.now().toString(36)}-${Math.floor(clock.random() * 0xffffffff).toString(36)}-${++holders}`;
}

/** The name under which a holder reserves of the cap of its run; what is recorded with the holder's own name lowers both. */
export const runHolder = (holder: string): string => `${holder} run`;

/** A name that is held by whoever is at work under it. */
export interface Held {
  letGo(): Promise<void>;
  /** Whether another has it by now: this process was not seen for a while, frozen or cut off, and what it holds was free meanwhile. */
  isLost(): Promise<boolean>;
}

/**
 * Takes a name for whoever is at work under it, so that no two fills of one plan run at once, in whatever processes.
 *
 * @returns `undefined` while another has it. A process that died has let go.
 */
export async function hold({ leases }: Pick<Ledger, "leases">, clock: Clock, name: string): Promise<Held | undefined> {
  const holder = holderName(clock);
  let takenAt = clock.now();
  const take = async (): Promise<boolean> => (await leases.take([name], { holder, until: FOR_EVER, now: takenAt }))[0] === true;
  if (!(await take())) return undefined;
  let isLost = false;
  return {
    letGo: () => leases.release(holder, [name]),
    async isLost() {
      if (isLost || leases.mayHaveLost?.(takenAt) !== true) return isLost;
      takenAt = clock.now();
      isLost = !(await take());
      return isLost;
    },
  };
}

/** Takes a name as `hold` does; gives the way to let go of it. */
export const claim = async (ledger: Pick<Ledger, "leases">, clock: Clock, name: string): Promise<(() => Promise<void>) | undefined> =>
  (await hold(ledger, clock, name))?.letGo;
