import type { FilledRow, FillOptions, FillSetup } from "../cells/index.js";
import { ownSignal } from "../ground/index.js";
import { fill, type FillReport } from "./fill.js";

/** Rows that may wait for the caller before the fill waits for it, too. */
const MOST_WAITING = 256;

/**
 * Fills a table and gives each row as soon as all its steps are settled, in the order in which that happens. The report is what
 * the generator returns. Leaving the loop ends the fill: what is in flight is finished, and the table is written.
 *
 * @throws as `fill` does, when the rows that stood by then have been given.
 * @example
 * ```ts
 * import { fillRows } from "yoroshi";
 *
 * // `setup` as in the example of `fill`.
 * for await (const { key, values, states } of fillRows(setup)) console.log(key, values["tone"], states["tone"]);
 * ```
 */
export async function* fillRows(setup: FillSetup, options: FillOptions = {}): AsyncGenerator<FilledRow, FillReport> {
  const waiting: FilledRow[] = [];
  let wake = (): void => undefined;
  let room: Promise<void> | undefined;
  let giveRoom = (): void => undefined;
  let isDone = false;
  const left = ownSignal(options.stop);
  const row = (filled: FilledRow): Promise<void> | undefined => {
    waiting.push(filled);
    wake();
    options.on?.row?.(filled);
    if (waiting.length >= MOST_WAITING) room ??= new Promise((resolve) => (giveRoom = resolve));
    return room;
  };
  const makeRoom = (): void => {
    room = undefined;
    giveRoom();
  };
  const filling = fill(setup, { ...options, stop: left.signal, on: { ...options.on, row } });
  const ended = filling
    .catch(() => undefined)
    .then(() => {
      isDone = true;
      wake();
    });
  try {
    while (!isDone || waiting.length > 0) {
      if (waiting.length === 0) await new Promise<void>((resolve) => (wake = resolve));
      for (let next = waiting.shift(); next; next = waiting.shift()) yield next;
      makeRoom();
    }
    return await filling;
  } finally {
    left.abort();
    makeRoom();
    await ended;
    left.release();
  }
}
