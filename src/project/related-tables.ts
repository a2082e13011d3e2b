import { sqliteLookup } from "../adapters/sqlite-lookup/index.js";
import { DEFAULT_RELATED_LIMIT, type Plan, type Related } from "../core/index.js";
import type { Tables } from "./tables.js";

/** So many look-ups of one table that has changed since stay open, for runs that began before. */
const MOST_OLD = 4;

interface Opened {
  readonly mark: string | undefined;
  readonly related: Related;
}

/** Related rows, read once as long as their table stands as it did, however often a plan is looked at. */
export class RelatedTables {
  readonly #open = new Map<string, Opened[]>();

  constructor(readonly tables: Tables) {}

  /** The related rows that a plan names, ready to be looked up. */
  async of(plan: Plan): Promise<Record<string, Related>> {
    const all: Record<string, Related> = {};
    for (const [name, { table, match, columns, order, limit = DEFAULT_RELATED_LIMIT, keep = "newest" }] of Object.entries(
      plan.related ?? {},
    ))
      all[name] = await this.#opened(table, { match, columns, order, limit, keep });
    return all;
  }

  async #opened(table: Parameters<Tables["rows"]>[0], way: Parameters<typeof sqliteLookup>[1]): Promise<Related> {
    const source = await this.tables.rows(table);
    const mark = await source.mark();
    const id = JSON.stringify([table, way]);
    const opened = this.#open.get(id) ?? [];
    const [newest] = opened;
    if (newest && mark !== undefined && newest.mark === mark) return newest.related;
    const related = sqliteLookup(source, way);
    this.#open.set(id, [{ mark, related }, ...opened.slice(0, MOST_OLD)]);
    for (const old of opened.slice(MOST_OLD)) await old.related.close();
    return related;
  }

  async close(): Promise<void> {
    for (const { related } of [...this.#open.values()].flat()) await related.close();
    this.#open.clear();
  }
}
