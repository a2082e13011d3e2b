import { sql, type RawBuilder } from "kysely";
import { keyAlias, rawAlias, type Dialect, type SqlColumn } from "./dialect.js";

/** The key columns of a table by its name in a statement: their texts, and their values where those are needed, too. */
export function selectKeys(dialect: Dialect, key: readonly SqlColumn[], from?: string): RawBuilder<unknown>[] {
  const id = (name: string): RawBuilder<unknown> => (from === undefined ? sql.id(name) : sql.id(from, name));
  const texts = key.map((column, index) => sql`${dialect.keyText(id(column.name), column.class)} AS ${sql.id(keyAlias(index))}`);
  return dialect.keyRaw
    ? [...texts, ...key.map((column, index) => sql`${dialect.keyRaw!(id(column.name))} AS ${sql.id(rawAlias(index))}`)]
    : texts;
}

/** The values of a row's key columns as parameters. */
export const rawKey = (dialect: Dialect, key: readonly SqlColumn[], row: Readonly<Record<string, unknown>>): unknown[] =>
  key.map((_, index) => row[dialect.keyRaw ? rawAlias(index) : keyAlias(index)]);
