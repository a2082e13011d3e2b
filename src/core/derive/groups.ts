import { filledMark, filledRows, rowFor, type FillSetup } from "../cells/index.js";
import { canonicalJson, joinWords, nearest, plainJson, WHOLE_TABLE, YoroshiError, type GroupsSource } from "../ground/index.js";
import { columnsOf, readCondition } from "../plan/index.js";
import { defangCopied, joinKey, keyColumnsOf, type Row } from "../table/index.js";
import type { MadeRows } from "./derived-table.js";
import { BadRow, holds, readyFigure, type Counter, type Figure, type FigureRow } from "./figures.js";

/** What stands for a value that is blank where it makes a group. */
const BLANK = "(blank)";
const CHUNK_ROWS = 500;

/** One group while it is counted up. */
interface Group {
  readonly values: Readonly<Record<string, string>>;
  readonly counters: readonly Counter[];
  /** The first row that could not count, and why. */
  problem?: string;
}

/**
 * One row for each group of a plan's rows, in the order in which they first occur, with figures computed from them.
 * A row that cannot count (a text where a number is needed) spoils its group, which then says so, instead of a figure
 * that leaves it out. Groups and what their figures need are in memory; the rows are not.
 *
 * @throws YoroshiError `tableBroken` where a figure reads a column that is not there.
 * @example
 * ```ts
 * import { groupRows } from "yoroshi";
 *
 * // `setup` as in the example of `fill`: its rows are counted by their tone.
 * const made = await groupRows(setup, { of: "tones", by: "tone", figures: { notes: { count: "all" } } });
 * made.columns.map(({ name }) => name); // => ["notes"]
 * ```
 */
export async function groupRows(parent: FillSetup, { of, by = [], when, figures }: GroupsSource): Promise<MadeRows> {
  const columns = keyColumnsOf(by);
  const name = columns.length === 0 ? of : `${of} by ${joinWords(columns)}`;
  const ready = Object.entries(figures).map(([figure, source]) => readyFigure(figure, source));
  const condition = when === undefined ? undefined : readCondition(when).condition;
  await checkColumns(parent, name, columns, [...ready, ...(condition ? [{ column: { name: "when" }, reads: condition.columns }] : [])]);
  const keyColumns = columns.length === 0 ? [WHOLE_TABLE.column] : columns;
  // What makes a group becomes its key, which must be harmless wherever it is written.
  const groupValue = (value: unknown): string => defangCopied(String(value ?? "").trim() || BLANK);
  /** A share of the table is wrong in every group where a row of one cannot count. */
  const spoilsAll = Object.values(figures).some(({ shareOfTable }) => shareOfTable !== undefined);
  const start = (values: Group["values"]): Group => ({ values, counters: ready.map((figure) => figure.start()) });

  return {
    name,
    columns: ready.map(({ column }) => column),
    async *rows() {
      const whole = start({});
      const groups = new Map<string, Group>();
      for await (const { rows } of filledRows(parent)) {
        for (const passed of rows) {
          if (passed.row.problem !== undefined) continue;
          const row = rowFor(passed);
          const values = Object.fromEntries(columns.map((column) => [column, groupValue(row[column])]));
          const key = columns.length === 0 ? WHOLE_TABLE.value : joinKey(columns.map((column) => values[column]!));
          const counts = attempt(() => holds(condition, row));
          if (counts === false) continue;
          let group = groups.get(key);
          if (!group) groups.set(key, (group = start(columns.length === 0 ? { [WHOLE_TABLE.column]: WHOLE_TABLE.value } : values)));
          const problem = counts === true ? add(row, [...group.counters, ...whole.counters]) : counts;
          if (problem === undefined) continue;
          group.problem ??= `${passed.row.place}: ${problem}`;
          whole.problem ??= group.problem;
        }
      }
      if (spoilsAll && whole.problem !== undefined) for (const group of groups.values()) group.problem ??= whole.problem;
      const made = [...groups].map(([key, group]): Row => ({
        key,
        place: `the group ${key}`,
        values: { ...group.values, ...figuresOf(ready, group, whole) },
        ...notesOf(ready, group),
        ...(group.problem === undefined ? {} : { problem: group.problem }),
      }));
      for (let from = 0; from < made.length; from += CHUNK_ROWS)
        yield { rows: made.slice(from, from + CHUNK_ROWS), share: Math.min(1, (from + CHUNK_ROWS) / made.length) };
    },
    mark: async () => {
      const mark = await filledMark(parent);
      return mark === undefined ? undefined : canonicalJson([mark, keyColumns, when ?? null, plainJson(figures)]);
    },
  };
}

/** `true`, `false`, or why it cannot be told. */
function attempt(test: () => boolean): boolean | string {
  try {
    return test();
  } catch (error) {
    if (error instanceof BadRow) return error.message;
    throw error;
  }
}

/** Adds a row to all counters; gives the first reason why one could not take it. */
function add(row: FigureRow, counters: readonly Counter[]): string | undefined {
  let problem: string | undefined;
  for (const counter of counters) {
    const added = attempt(() => {
      counter.add(row);
      return true;
    });
    if (typeof added === "string") problem ??= added;
  }
  return problem;
}

function figuresOf(figures: readonly Figure[], group: Group, whole: Group): Record<string, string> {
  return Object.fromEntries(
    figures.map(({ column }, index) => [column.name, String(group.counters[index]!.value(whole.counters[index]!))]),
  );
}

/** What figures leave out. */
function notesOf(figures: readonly Figure[], group: Group): Pick<Row, "notes"> {
  const notes = figures.flatMap(({ column }, index) => {
    const note = group.counters[index]!.note?.();
    return note === undefined ? [] : [[column.name, note] as const];
  });
  return notes.length > 0 ? { notes: Object.fromEntries(notes) } : {};
}

async function checkColumns(
  parent: FillSetup,
  name: string,
  by: readonly string[],
  figures: readonly { readonly column: { readonly name: string }; readonly reads: readonly string[] }[],
): Promise<void> {
  const known = [
    ...new Set([
      ...(await parent.table.columns()),
      ...Object.values(parent.plan.steps).flatMap(columnsOf),
      ...Object.keys(parent.related ?? {}),
    ]),
  ];
  const bad = (problem: string): never => {
    throw new YoroshiError("tableBroken", { table: name, place: "groups", problem });
  };
  for (const { column, reads } of [{ column: { name: "by" }, reads: by }, ...figures]) {
    const missing = reads.find((read) => !known.includes(read));
    const near = missing === undefined ? undefined : nearest(missing, known);
    if (missing !== undefined)
      bad(
        `\`${column.name}\` reads the column \`${missing}\`, which is not there. ${near === undefined ? `Columns: ${joinWords(known)}.` : `Did you mean \`${near}\`?`}`,
      );
  }
  const twice = figures.find(({ column }) => by.includes(column.name) || (by.length === 0 && column.name === WHOLE_TABLE.column));
  if (twice) bad(`a figure cannot be named \`${twice.column.name}\`: that column makes the groups.`);
}
