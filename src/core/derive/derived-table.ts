import { YoroshiError } from "../ground/index.js";
import { OWN_STEP, writerOf, type OwnColumn, type Plan } from "../plan/index.js";
import type { Chunk, Growth, Row, StandingRow, Table, TargetColumn } from "../table/index.js";

/** Rows that are made of another plan's rows. */
export interface MadeRows {
  /** What messages call them. */
  readonly name: string;
  /** The columns that they are made with, besides the key. */
  readonly columns: readonly (TargetColumn & Pick<OwnColumn, "holds">)[];
  /** All rows in a steady order. */
  rows(): AsyncIterable<Chunk>;
  /** A mark that changes when the rows do; `undefined` where that cannot be told. */
  mark(): Promise<string | undefined>;
  /** Keys of rows that were made until the table was last written, and are no more: so that rows without any cell of ours go, too. */
  gone?(): Promise<ReadonlySet<string>>;
  /** Makes the rows' keys stay what they are, before they are written. */
  settle?(): Promise<void>;
}

export interface DerivedOptions {
  /** Told of rows that nothing makes any more, and that stay since a person wrote in them. */
  readonly onNotice?: ((text: string) => void) | undefined;
}

const CHUNK_ROWS = 500;
const FEW = 3;

/**
 * A table whose rows are made of another plan's, kept in a table of their own. It is filled like any other: what a person
 * writes in it stays. A row that nothing makes any more goes, unless a person wrote in it.
 *
 * The keys of all rows are in memory while the table is written.
 *
 * @example
 * ```ts
 * import { derivedTable, fill, groupRows, memoryTable, plan, withOwnStep } from "yoroshi";
 *
 * // `setup` as in the example of `fill`: its rows are counted by their tone.
 * await fill(setup);
 * const counts = plan({ name: "counts", table: { file: "memory", groups: { of: "tones", by: "tone", figures: { notes: { count: "all" } } } } });
 * const made = await groupRows(setup, counts.table.groups!);
 * const out = memoryTable([], { key: counts.table.key });
 * await fill({ ...setup, asking: {}, plan: withOwnStep(counts, made), table: derivedTable(made, out) });
 * out.rows.find(({ tone }) => tone === "upset")!["notes"]; // => "1"
 * ```
 */
export function derivedTable(made: MadeRows, out: Table, { onNotice }: DerivedOptions = {}): Table {
  const withKey = (columns: readonly TargetColumn[]): TargetColumn[] => [
    ...out.keyColumns.map((name) => ({ name, freeText: false })),
    ...columns,
  ];
  return {
    name: made.name,
    target: out.target,
    keyColumns: out.keyColumns,
    columns: async () => [...out.keyColumns, ...made.columns.map(({ name }) => name)],
    async *read() {
      for await (const { rows, share } of made.rows())
        yield { rows: rows.map((row) => ({ ...row, numbers: numbersOf(made.columns, row) })), share };
    },
    standing: (columns) => out.standing(columns),
    standingMark: () => out.standingMark(),
    sourceMark: () => made.mark(),
    async write(columns, cellsOf) {
      await made.settle?.();
      const missing = new Map<string, StandingRow>();
      // A row that cannot be made for now is not added, and stays where it stands.
      const spoilt = new Set<string>();
      for await (const { rows } of made.rows()) {
        for (const { key, values, problem } of rows) {
          if (problem === undefined)
            missing.set(key, { key, values: Object.fromEntries(out.keyColumns.map((column) => [column, values[column] ?? ""])) });
          else spoilt.add(key);
        }
      }
      const kept = new Set<string>();
      const gone = (await made.gone?.()) ?? new Set();
      const growth = growthOf(missing, { spoilt, gone }, [...out.keyColumns, ...columns.map(({ name }) => name)], kept);
      const mark = await out.write(columns, cellsOf, { growth });
      if (kept.size > 0)
        onNotice?.(
          `${kept.size === 1 ? "One row" : `${kept.size} rows`} of ${out.target} ${kept.size === 1 ? "is" : "are"} made of nothing any more, and ${kept.size === 1 ? "stays" : "stay"} since a person wrote in ${kept.size === 1 ? "it" : "them"}: ${[...kept].slice(0, FEW).join(", ")}${kept.size > FEW ? " …" : ""}.`,
        );
      return mark;
    },
    ...(out.missingColumns ? { missingColumns: (columns) => out.missingColumns!(withKey(columns)) } : {}),
    ...(out.createColumns ? { createColumns: (columns) => out.createColumns!(withKey(columns)) } : {}),
    ...(out.checkWritable ? { checkWritable: (columns) => out.checkWritable!(columns) } : {}),
    asWritten: (column, value) => out.asWritten(column, value),
  };
}

function numbersOf(columns: readonly TargetColumn[], { values }: Row): Record<string, number> {
  const numbers: Record<string, number> = {};
  for (const { name, type } of columns) {
    const text = values[name] ?? "";
    if ((type === "integer" || type === "number" || type === "decimal") && text !== "" && Number.isFinite(Number(text)))
      numbers[name] = Number(text);
  }
  return numbers;
}

/** @param missing the rows that shall be there, by key; those that are found are taken out of it. */
function growthOf(
  missing: Map<string, StandingRow>,
  { spoilt, gone }: { readonly spoilt: ReadonlySet<string>; readonly gone: ReadonlySet<string> },
  own: readonly string[],
  kept: Set<string>,
): Growth {
  const isMine = new Set(own);
  const wroteBeside = ({ values }: StandingRow): boolean =>
    Object.entries(values).some(([column, text]) => text !== "" && !isMine.has(column));
  const made = new Set<string>([...missing.keys(), ...spoilt]);
  return {
    goes(row, cells) {
      missing.delete(row.key);
      // A row that holds nothing of ours is a person's own.
      const isOurs = gone.has(row.key) || Object.values(cells ?? {}).some((cell) => typeof cell !== "object");
      if (made.has(row.key) || !isOurs) return false;
      const stays = Object.values(cells ?? {}).some((cell) => typeof cell === "object") || wroteBeside(row);
      if (stays) kept.add(row.key);
      return !stays;
    },
    async *added() {
      const rows = [...missing.values()];
      for (let from = 0; from < rows.length; from += CHUNK_ROWS) yield rows.slice(from, from + CHUNK_ROWS);
    },
  };
}

/**
 * The plan with the step that makes the own columns of its rows.
 *
 * @throws YoroshiError `tableBroken` where another step fills one of them.
 * @example
 * ```ts
 * import { groupRows, plan, withOwnStep } from "yoroshi";
 *
 * // `setup` as in the example of `fill`.
 * const counts = plan({ name: "counts", table: { file: "memory", groups: { of: "tones", figures: { notes: { count: "all" } } } } });
 * Object.keys(withOwnStep(counts, await groupRows(setup, counts.table.groups!)).steps).length; // => 1
 * ```
 */
export function withOwnStep(plan: Plan, { name, columns }: Pick<MadeRows, "name" | "columns">): Plan {
  const twice = columns.find((own) => writerOf(plan, own.name) !== undefined);
  if (twice)
    throw new YoroshiError("tableBroken", {
      table: name,
      place: "steps",
      problem: `the step ${writerOf(plan, twice.name)} fills \`${twice.name}\`, which the rows have of their own. Give the column another name.`,
    });
  return {
    ...plan,
    steps: { [OWN_STEP]: { set: Object.fromEntries(columns.map(({ holds, ...own }) => [own.name, { own, holds }])) }, ...plan.steps },
  };
}
