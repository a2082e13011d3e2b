import { atOnce, ownSignal, type CancelSignal } from "../ground/index.js";
import type { SourceHandle } from "../kinds/index.js";
import { findSource, type SourceProblem, type Sources } from "../sources/index.js";
import type { Prepared } from "./prepare.js";
import { readInputs, sourceKey, type InputReading, type NamedSource } from "./read-inputs.js";

/** What was found of the sources that rows name; filled by `findAll`. */
export type Finds = Map<string, SourceHandle | SourceProblem | undefined>;

/** Sources that are looked for at the same time. */
const TOGETHER = 16;

/** Looks for sources, each once. */
export async function findAll(
  sources: Sources | undefined,
  wanted: readonly NamedSource[],
  into: Finds,
  { mayFetch, signal }: { readonly mayFetch: boolean; readonly signal?: CancelSignal | undefined },
): Promise<void> {
  if (wanted.length === 0) return;
  const seats = atOnce(TOGETHER);
  // Many look at the same time, and the one who called hears once.
  const own = ownSignal(signal);
  let failure: { readonly error: unknown } | undefined;
  const open = new Map(wanted.map((one) => [sourceKey(one), one]));
  for (const [key, { name, spec }] of open) {
    if (failure) break;
    await seats.start(async () => {
      try {
        into.set(key, await findSource(sources ?? {}, name, spec, { mayFetch, signal: own.signal }));
      } catch (error) {
        failure ??= { error };
      }
    });
  }
  await seats.idle();
  own.release();
  if (failure) throw failure.error;
}

/**
 * Turns cells of a row into a template's typed inputs, as `readInputs` does, once what they name was found.
 *
 * @param options.mayFetch whether the network may be used for it. Default true.
 */
export async function gatherInputs(
  prepared: Pick<Prepared, "inputs" | "template" | "sources" | "legwork">,
  cells: Readonly<Record<string, string | null | undefined>>,
  { mayFetch = true, signal }: { readonly mayFetch?: boolean; readonly signal?: CancelSignal | undefined } = {},
): Promise<Exclude<InputReading, { state: "needed" }>> {
  const found: Finds = new Map();
  for (;;) {
    const reading = readInputs(prepared, cells, found);
    if (reading.state !== "needed") return reading;
    await findAll(prepared.sources, reading.sources, found, { mayFetch, signal });
  }
}

/** Whether a template has inputs that lie elsewhere. */
export const hasSources = ({ inputs, legwork }: Pick<Prepared, "inputs" | "legwork">): boolean =>
  legwork !== undefined || inputs.some(({ kind }) => kind.source !== undefined);
