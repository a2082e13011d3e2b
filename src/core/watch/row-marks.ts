import { canonicalJson, quickHash } from "../ground/index.js";
import type { Table } from "../table/index.js";

/** Row by row a short hash of all that stands in it, by its key. */
export type RowMarks = Map<string, string>;

/** What a look through a table found. */
export interface Look {
  readonly marks: RowMarks;
  /** Keys of rows that are new, have changed, or are gone; empty at the first look. */
  readonly changed: readonly string[];
}

/** Looks through all rows of a table and holds them against the last look: dear, and always possible. */
export async function lookThrough(table: Pick<Table, "read">, before: RowMarks | undefined): Promise<Look> {
  const marks: RowMarks = new Map();
  const changed: string[] = [];
  for await (const { rows } of table.read())
    for (const { key, values, problem } of rows) {
      if (problem !== undefined) continue;
      const mark = quickHash(canonicalJson(values));
      marks.set(key, mark);
      if (before && before.get(key) !== mark) changed.push(key);
    }
  for (const key of before?.keys() ?? []) if (!marks.has(key)) changed.push(key);
  return { marks, changed };
}
