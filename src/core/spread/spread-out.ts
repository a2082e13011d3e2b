import { modelsOf, writeTable, type SpreadFigures, type Work } from "../cells/index.js";
import { isYoroshiError, keep, readKept, type CancelSignal, type Json } from "../ground/index.js";
import { plannedRows } from "./plan-chunks.js";
import type { ChunkName, WorkQueue } from "./queue.js";
import { outagesNow } from "./shared-outages.js";
import {
  CHUNK,
  chunkName,
  chunkNames,
  keptRows,
  rowsName,
  SPREAD,
  SPREAD_NAMES,
  spreadName,
  WORKER_NAMES,
  type ChunkRecord,
  type SpreadOptions,
  type SpreadRecord,
} from "./records.js";

/** Rows of one chunk, unless it is said otherwise. */
const ROWS = 200;
/** Chunks that are planned and not done, at most: what a table holds must not all lie in the queue, and no worker wait for the next. */
const MOST_OPEN = 64;
const OPEN_A_WORKER = 4;
/** How often it is looked how far the chunks are. */
const LOOK_MS = 500;
/** How often chunks that are not done are put into the queue again, which may have lost them. */
const AGAIN_MS = 5_000;
/** How long those who stop are waited for. */
const STOPPING_MS = 60_000;
/** After so many failures of one chunk, or a host that was down for so long, the run goes on without others, and ends as any would. */
const MOST_FAILED = 3;
const PATIENCE_MS = 300_000;

/** How far a spread run is. */
export interface SpreadProgress {
  readonly planned: number;
  readonly isPlanned: boolean;
  readonly done: number;
  /** Rows of the chunks that are done. */
  readonly asked: number;
  /** Chunks that were taken more than once. */
  readonly again: number;
}

export interface SpreadSetup {
  readonly queue: WorkQueue;
  readonly marks: SpreadRecord["marks"];
  readonly options: SpreadOptions;
  /** Rows of a chunk. Default 200. */
  readonly rows?: number | undefined;
  readonly stop?: CancelSignal | undefined;
  readonly onProgress?: ((progress: SpreadProgress) => void) | undefined;
  /** A worker has found a host down, so that all wait for it; without a reason, it is back. */
  readonly onHost?: ((host: string, why: string | undefined) => void) | undefined;
}

/**
 * Has others ask about a run's rows: plans them into chunks, hands these to the queue, and waits until all are done. What stands in the
 * ledger counts: the queue may be emptied at any moment.
 */
export async function spreadOut(
  work: Work,
  run: string,
  { queue, marks, options, rows = ROWS, stop, onProgress, onHost }: SpreadSetup,
): Promise<SpreadFigures> {
  const { facts } = work.ledger;
  const { clock } = work;
  const record: SpreadRecord = { plan: work.plan.name, marks, options, state: "open", since: clock.now() };
  /** The chunks that are not done, with the keys of their rows. */
  const open = new Map<number, { readonly chunk: ChunkName; readonly keys: readonly string[] }>();
  let asked = 0;
  /** Whether it is of no use that others go on. */
  let isVain = false;
  let [planned, done, again, edits, isPlanned] = [0, 0, 0, 0, false];
  /** What it took, as it was charged: also of workers that did not live to tell. */
  const figures = async (): Promise<SpreadFigures> => {
    const charged = await work.ledger.charges.of(work.plan.name, { runs: [run] });
    const sumOf = (figure: "tokensIn" | "tokensOut" | "spent"): number => charged.reduce((sum, one) => sum + one[figure], 0);
    return { asked, edits, tokensIn: sumOf("tokensIn"), tokensOut: sumOf("tokensOut"), spent: sumOf("spent") };
  };
  let queuedAt = clock.now();
  let mostOpen = MOST_OPEN;

  /** Takes in what is done; gives the room that there is then. */
  const look = async (): Promise<void> => {
    for (const [name, kept] of await facts.find(chunkNames(run))) {
      const n = Number(name.slice(chunkNames(run).length));
      const chunk = readKept(CHUNK, kept);
      const mine = open.get(n);
      if (!chunk || !mine) continue;
      if ((chunk.failed ?? 0) >= MOST_FAILED) isVain = true;
      if (chunk.state !== "done") continue;
      asked += chunk.asked ?? 0;
      if (chunk.times > 1) again++;
      done++;
      open.delete(n);
      await forget([mine.chunk]);
      edits += await writePart(work, run, mine.keys);
    }
    await lookAtHosts();
    if (clock.now() - queuedAt >= AGAIN_MS && open.size > 0) {
      queuedAt = clock.now();
      mostOpen = Math.max(MOST_OPEN, OPEN_A_WORKER * (await facts.find(WORKER_NAMES)).size);
      await queue.add([...open.values()].map(({ chunk }) => chunk));
    }
    onProgress?.({ planned, isPlanned, done, asked, again });
  };
  const down = new Set<string>();
  /** A host that is down is waited for by all workers, as long as the patience with its models lasts. */
  const lookAtHosts = async (): Promise<void> => {
    const models = modelsOf(work);
    const outages = (await outagesNow(work.ledger, clock)).filter(({ host }) => models.some((model) => model.host === host));
    for (const { host, why, since } of outages) {
      const patience = Math.max(...models.filter((model) => model.host === host).map(({ limits }) => limits?.patienceMs ?? PATIENCE_MS));
      if (clock.now() - since > patience) isVain = true;
      if (!down.has(host)) onHost?.(host, why);
      down.add(host);
    }
    for (const host of down)
      if (!outages.some((one) => one.host === host)) {
        down.delete(host);
        onHost?.(host, undefined);
      }
  };
  const forget = (chunks: readonly ChunkName[]): Promise<void> =>
    facts.remove(chunks.flatMap((chunk) => [rowsName(chunk), chunkName(chunk)]));
  const isOver = (): boolean => stop?.aborted === true || isVain;
  const hasRoom = async (most: number): Promise<boolean> => {
    while (open.size > most && !isOver()) {
      await look();
      if (open.size > most && !isOver()) await clock.sleep(LOOK_MS, stop).catch(() => undefined);
    }
    return !isOver();
  };
  /** Those who have a chunk in hand finish it, as far as it is begun. */
  const windUp = async (): Promise<void> => {
    await facts.set(spreadName(run), keep(SPREAD, { ...record, state: "stopping" }));
    const until = clock.now() + STOPPING_MS;
    for (;;) {
      await look();
      const states = await Promise.all([...open.values()].map(async ({ chunk }) => readKept(CHUNK, await facts.get(chunkName(chunk)))));
      if (!states.some((chunk) => chunk?.state === "taken") || clock.now() > until) return;
      await clock.sleep(LOOK_MS);
    }
  };

  await forgetDead(facts, queue, work.plan.name);
  await facts.set(spreadName(run), keep(SPREAD, record));
  try {
    for await (const some of plannedRows(work, rows)) {
      if (!(await hasRoom(mostOpen - 1))) break;
      const chunk = { run, n: ++planned };
      const first: ChunkRecord = { state: "waiting", rows: some.length, times: 0, at: clock.now() };
      await facts.set(rowsName(chunk), keptRows(some));
      await facts.set(chunkName(chunk), keep(CHUNK, first) as Json);
      open.set(chunk.n, { chunk, keys: some.map(({ key }) => key) });
      await queue.add([chunk]);
      await look();
    }
    isPlanned = true;
    await hasRoom(0);
    if (isOver()) await windUp();
    return await figures();
  } finally {
    await facts.remove([spreadName(run)]);
    await forget([...open.values()].map(({ chunk }) => chunk));
    await queue.forget(run);
  }
}

/** Runs of a plan whose planner is no more: nobody else can be filling it now. */
async function forgetDead(facts: Work["ledger"]["facts"], queue: WorkQueue, plan: string): Promise<void> {
  for (const [name, kept] of await facts.find(SPREAD_NAMES)) {
    if (readKept(SPREAD, kept)?.plan !== plan) continue;
    const run = name.slice(SPREAD_NAMES.length);
    const chunks = [...(await facts.find(chunkNames(run))).keys()].map((one) => ({ run, n: Number(one.slice(chunkNames(run).length)) }));
    await facts.remove([name, ...chunks.flatMap((chunk) => [rowsName(chunk), chunkName(chunk)])]);
    await queue.forget(run);
  }
}

/**
 * Writes rows of a chunk into a table that takes some without the others; the rest is written at the end.
 *
 * @returns how many cells a person had changed.
 */
async function writePart(work: Work, run: string, keys: readonly string[]): Promise<number> {
  try {
    const table = await work.table.rowsOnly?.(keys);
    return table ? (await writeTable({ ...work, table }, run, true)).edits : 0;
  } catch (error) {
    if (!isYoroshiError(error)) throw error;
    return 0;
  }
}
