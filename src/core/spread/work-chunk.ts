import type { FillOptions, FillSetup } from "../cells/index.js";
import { askRows, chosenWork } from "../fill/index.js";
import type { Outages } from "../asking/index.js";
import { keep, readKept, type AtOnce, type Json } from "../ground/index.js";
import type { Row, Table } from "../table/index.js";
import type { ChunkName } from "./queue.js";
import { CHUNK, chunkName, rowsName, rowsOf, type ChunkRecord, type SpreadRecord } from "./records.js";

export interface ChunkSetup {
  /** Of the run's plan, with the same files as the planner's. */
  readonly setup: FillSetup;
  readonly spread: SpreadRecord;
  /** Who works, for the ledger. */
  readonly worker: string;
  /** Places that all chunks of this process share. */
  readonly places: AtOnce;
  /** What all workers know of hosts that are down. */
  readonly outages?: Outages | undefined;
  readonly stop?: FillOptions["stop"];
  readonly signal?: FillOptions["signal"];
  readonly observed?: FillOptions["observed"];
}

/** What became of a chunk: how many rows were asked about, or nothing where another has done it or has it. */
export type ChunkWorked = { readonly asked: number } | undefined;

/**
 * Asks about the rows of a chunk and records every answer and cell under the planner's run. Taking and finishing are compare and set: of two who
 * have the same chunk, one finishes it, and what the other recorded of it is the same, or came too late to count.
 */
export async function workChunk(
  chunk: ChunkName,
  { setup, spread, worker, places, outages, ...signals }: ChunkSetup,
): Promise<ChunkWorked> {
  const { facts } = setup.ledger;
  const kept = await facts.get(chunkName(chunk));
  const before = readKept(CHUNK, kept);
  if (!before || before.state === "done") return undefined;
  const taken: ChunkRecord = { ...before, state: "taken", by: worker, times: before.times + 1, at: setup.clock.now() };
  if (!(await facts.swap(chunkName(chunk), kept, keep(CHUNK, taken)))) return undefined;
  const rows = rowsOf(await facts.get(rowsName(chunk)));
  const { options } = spread;
  const own: FillOptions = { ...signals, ...(options as Pick<FillOptions, "refill" | "columns" | "overwrite" | "spendCap">), orGone: true };
  const work = await chosenWork({ ...setup, table: tableOf(setup.table, rows) }, { ...own, mayFetch: true });
  const { run, ending } = await askRows(work, own, chunk.run, { begin: nothing, end: nothing }, { isSpread: true, places, outages });
  const asked = Object.values(run.tallies).reduce((sum, tally) => sum + tally.asked, 0);
  // What was left by a stop is still to be done, by whoever comes next; a cap that is reached leaves it to the planner to say so.
  const isLeft = ending.end === "interrupted" || ending.end === "failed";
  const failed = (before.failed ?? 0) + (ending.error ? 1 : 0);
  const sum = { asked: (before.asked ?? 0) + asked, at: setup.clock.now() };
  const after: ChunkRecord = { ...taken, ...sum, failed, state: isLeft ? "waiting" : "done" };
  await facts.swap(chunkName(chunk), keep(CHUNK, taken) as Json, keep(CHUNK, after));
  if (ending.error) throw ending.error;
  return { asked };
}

const nothing = async (): Promise<void> => undefined;

/** The rows of a chunk as the plan's table. */
const tableOf = (table: Table, rows: readonly Row[]): Table => ({
  ...table,
  columns: () => table.columns(),
  asWritten: (column, value) => table.asWritten(column, value),
  rowsOnly: async () => undefined,
  async *read() {
    yield { rows, share: 1 };
  },
});
