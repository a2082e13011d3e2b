import { plural, type CellOut, type TargetColumn } from "../core/index.js";
import type { BroughtCell, FileFormat, FileRow, NamedFile, NewRow, RowChange } from "./file-format.js";
import { RowStore, type StoredRow } from "./row-store.js";

/** What the source brings into a result that stands. */
export interface Carrying {
  /** Columns that the result lacks. */
  readonly columns: readonly string[];
  /** For rows of the result: whether they go, and the cells that the source has anew. */
  of(
    rows: readonly FileRow[],
    cells: readonly (Readonly<Record<string, CellOut>> | undefined)[],
  ): readonly Pick<RowChange, "goes" | "brought">[];
  /** Rows that are new in the source. */
  added(): Iterable<readonly Omit<NewRow, "cells">[]>;
}

export interface CarryOver {
  /** Begins from the first row, also a second time. */
  begin(): Carrying;
  /** Whether rows were left out. */
  readonly takesAway: boolean;
  /** What a person should know of it. */
  notices(): readonly string[];
  close(): void;
}

export interface CarryOverOptions {
  /** The source as it was when the result was last written; `undefined` where that is not known. */
  readonly before: NamedFile | undefined;
  readonly now: NamedFile;
  /** The source and the result by the names that messages use. */
  readonly source: NamedFile;
  readonly result: NamedFile;
  /** The columns that are filled, which the source has no say in. */
  readonly targets: readonly TargetColumn[];
}

const SOME_ROWS = 500;
const FEW = 3;

/** Rows of one sort, and the first of them by name. */
class Told {
  count = 0;
  readonly first: string[] = [];

  add(name: string): void {
    this.count++;
    if (this.first.length < FEW) this.first.push(name);
  }

  get names(): string {
    return `${this.first.join(", ")}${this.count > this.first.length ? " …" : ""}`;
  }
}

/**
 * Compares a source as it was, as it is, and a result that a person may have changed, row by row by key (a three-way
 * merge). What only the source changed is brought in; what only the person changed stays, and so does what both changed,
 * which is told. A row that is gone from the source goes, unless a person wrote in it; one that a person took out of
 * the result stays out.
 */
export async function carryOver(format: FileFormat, { before, now, source, result, targets }: CarryOverOptions): Promise<CarryOver> {
  const isTarget = new Set(targets.map(({ name }) => name));
  const columns = (await format.columns(now)).filter((column) => column !== "" && !isTarget.has(column));
  const columnsBefore = before ? (await format.columns(before)).filter((column) => column !== "" && !isTarget.has(column)) : [];
  const columnsThere = new Set(await format.columns(result));
  // What a row without a usable key is known by.
  const shared = columns.filter((column) => columnsThere.has(column) && (!before || columnsBefore.includes(column)));
  const store = new RowStore();
  for (const [side, from] of [
    ["before", before],
    ["now", now],
  ] as const) {
    const idOf = identify(shared);
    if (from)
      for await (const { rows } of format.rows(from, { sources: side === "now" }))
        store.put(
          side,
          rows.map((row): StoredRow => ({ id: idOf(row), key: row.key, values: row.values, sources: row.sources })),
        );
  }

  const isSourceBefore = new Set(columnsBefore);
  const isSource = new Set([...columns, ...columnsBefore]);
  /** Of the pass that began last; each goes through all rows. */
  let latest = newTold();
  const wroteIn = (
    { values, computed }: FileRow,
    was: StoredRow["values"],
    cells: Readonly<Record<string, CellOut>> | undefined,
  ): boolean =>
    Object.values(cells ?? {}).some((cell) => typeof cell === "object") ||
    Object.entries(values).some(
      ([column, text]) =>
        !isTarget.has(column) &&
        !(isSource.has(column) && computed?.has(column)) &&
        text !== (isSource.has(column) ? (was[column] ?? text) : ""),
    );

  const begin = (): Carrying => {
    store.begin();
    const told = (latest = newTold());
    const idOf = identify(shared);
    return {
      columns: columns.filter((column) => !columnsThere.has(column)),
      of: (rows, cells) => {
        const found = store.find(rows.map(idOf));
        return rows.map((row, index) => {
          const { before: was, now: is } = found[index]!;
          if (!is && !was) return {};
          if (is) return { brought: brought(row, was, is, told) };
          if (wroteIn(row, was!, cells[index])) {
            told.kept.add(row.key);
            return {};
          }
          told.gone.add(row.key);
          return { goes: true };
        });
      },
      *added() {
        for (const rows of store.added(SOME_ROWS)) {
          for (const { key } of rows) told.added.add(key);
          yield rows;
        }
      },
    };
  };

  const brought = (
    row: FileRow,
    was: StoredRow["values"] | undefined,
    is: Omit<StoredRow, "id" | "key">,
    told: ReturnType<typeof newTold>,
  ): Record<string, BroughtCell> | undefined => {
    const changed: Record<string, BroughtCell> = {};
    for (const column of columns) {
      const stands = row.values[column] ?? (columnsThere.has(column) ? "" : undefined);
      const now = is.values[column] ?? "";
      if ((stands ?? "") === now || row.computed?.has(column)) continue;
      if (stands === undefined || (was && stands === (was[column] ?? ""))) changed[column] = { text: now, source: is.sources?.[column] };
      else if (was === undefined || !isSourceBefore.has(column)) told.unknown.add(`${row.key} (${column})`);
      else if ((was[column] ?? "") !== now) told.both.add(`${row.key} (${column})`);
    }
    return Object.keys(changed).length > 0 ? changed : undefined;
  };

  return {
    begin,
    get takesAway() {
      return latest.gone.count > 0;
    },
    notices: () => {
      const left = store.leftOut(FEW);
      const lost = columnsBefore.filter((column) => !columns.includes(column));
      const { added, gone, kept, both, unknown } = latest;
      return [
        ...(added.count > 0
          ? [
              `${result.name}: ${plural(added.count, "row")} of ${source.name} ${added.count === 1 ? "is" : "are"} new, and last: ${added.names}.`,
            ]
          : []),
        ...(gone.count > 0
          ? [
              `${result.name}: ${plural(gone.count, "row")} that ${source.name} no longer has ${gone.count === 1 ? "is" : "are"} left out: ${gone.names}.`,
            ]
          : []),
        ...(kept.count > 0
          ? [
              `${result.name}: ${plural(kept.count, "row")} that ${source.name} no longer has ${kept.count === 1 ? "stays" : "stay"}, since a person wrote in ${kept.count === 1 ? "it" : "them"}: ${kept.names}.`,
            ]
          : []),
        ...(left.rows > 0
          ? [
              `${result.name}: ${plural(left.rows, "row")} of ${source.name} ${left.rows === 1 ? "was" : "were"} taken out of it by hand, and ${left.rows === 1 ? "stays" : "stay"} out: ${left.keys.join(", ")}${left.rows > left.keys.length ? " …" : ""}.`,
            ]
          : []),
        ...(both.count > 0
          ? [
              `${plural(both.count, "cell")} changed in ${result.name} and in ${source.name}, too; what stands in ${result.name} stays: ${both.names}.`,
            ]
          : []),
        ...(unknown.count > 0
          ? [
              `${plural(unknown.count, "cell")} ${unknown.count === 1 ? "differs" : "differ"} between ${result.name} and ${source.name}, and which of them is newer is not known; what stands in ${result.name} stays: ${unknown.names}.`,
            ]
          : []),
        ...(lost.length > 0
          ? [
              `${source.name} no longer has ${lost.map((column) => `\`${column}\``).join(", ")}; in ${result.name} ${lost.length === 1 ? "it stays" : "they stay"}.`,
            ]
          : []),
      ];
    },
    close: () => store.close(),
  };
}

const newTold = () => ({ added: new Told(), gone: new Told(), kept: new Told(), both: new Told(), unknown: new Told() });

/** What a row is known by in any version of its table: its key; without one, what stands in it, and the how manieth such row it is. */
function identify(columns: readonly string[]): (row: FileRow) => string {
  const seen = new Map<string, number>();
  return ({ key, unnamed, values }) => {
    if (!unnamed) return key;
    const content = JSON.stringify(columns.map((column) => values[column] ?? ""));
    const number = (seen.get(content) ?? 0) + 1;
    seen.set(content, number);
    return `\n${number} ${content}`;
  };
}
