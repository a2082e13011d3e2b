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

/**
 * Claims a name for whoever is at work under it, so that no two fills of one plan run at once, in whatever processes.
 *
 * @returns the way to let go of it; `undefined` while another has it. A process that died has let go.
 */
export async function claim({ leases }: Pick<Ledger, "leases">, clock: Clock, name: string): Promise<(() => Promise<void>) | undefined> {
  const holder = holderName(clock);
  const [isMine] = await leases.take([name], { holder, until: FOR_EVER, now: clock.now() });
  return isMine ? () => leases.release(holder, [name]) : undefined;
}
