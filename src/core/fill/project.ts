import type { CellRecord } from "../ledger/index.js";
import type { CellOut } from "../table/index.js";
import type { Work } from "./setup.js";
import { keepWritten, readWritten, sameWritten, writersOf, type Writer, type Written } from "./writers.js";

/**
 * Writes columns from the ledger into the table. The ledger is made durable first, so that a table never holds an
 * answer that the ledger does not. Nothing is written when the table already stands so.
 *
 * @returns whether anything was written.
 */
export async function project(work: Work, changed: boolean): Promise<boolean> {
  await work.ledger.flush();
  const before = await readWritten(work);
  const writers = writersOf(work, before);
  const now: Written = { source: (await work.table.sourceMark()) ?? null, standing: (await work.table.standingMark()) ?? null, writers };
  if (!changed && now.source !== null && now.standing !== null && sameWritten(before, now)) return false;
  const standing = await work.table.write(writers.flatMap((writer) => writer.columns), async (keys) => {
    const cells: Record<string, CellOut>[] = keys.map(() => ({}));
    for (const writer of writers) {
      const records = await work.ledger.cells(writer.plan, writer.step, keys);
      keys.forEach((key, index) => addCells(cells[index]!, writer, records.get(key)));
    }
    return cells;
  });
  await keepWritten(work, { source: (await work.table.sourceMark()) ?? null, standing: standing ?? null, writers });
  return true;
}

function addCells(cells: Record<string, CellOut>, { columns }: Writer, record: CellRecord | undefined): void {
  for (const { name } of columns) {
    const edited = record?.edited?.[name];
    const value = record?.values[name];
    if (edited !== undefined) cells[name] = { asIs: edited };
    else if (value !== undefined) cells[name] = value;
  }
}
