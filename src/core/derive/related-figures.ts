import { YoroshiError, type FigureSource } from "../ground/index.js";
import type { CellValue, FoundRows, Related } from "../table/index.js";
import { BadRow, readyFigure, type Counter, type FigureRow } from "./figures.js";

/** Rows whose figures are wanted, in a stream. */
export interface FigureRows {
  readonly name: string;
  columns(): Promise<readonly string[]>;
  rows(): AsyncIterable<readonly FigureRow[]>;
  mark(): Promise<string | undefined>;
}

interface Counted {
  readonly counters: readonly Counter[];
  problem?: string;
}

/**
 * Figures of the rows of another table that belong to each row: totals and counts of its children. The table is read once, in one
 * pass; what the figures need is in memory, the rows are not. A row that cannot count leaves the figures of its parent blank, and it
 * is said why.
 *
 * @param way.match column there -> column here.
 * @throws YoroshiError `tableBroken` where a column that it reads is not there.
 */
export function figuredRelated(
  source: FigureRows,
  way: { readonly match: Readonly<Record<string, string>>; readonly figures: Readonly<Record<string, FigureSource>> },
): Related {
  const ready = Object.entries(way.figures).map(([name, figure]) => readyFigure(name, figure));
  const [there, here] = [Object.keys(way.match), Object.values(way.match)];
  const start = (): Counted => ({ counters: ready.map((figure) => figure.start()) });
  const idOf = (row: FigureRow, columns: readonly string[]): string =>
    JSON.stringify(columns.map((column) => String(row[column] ?? "").trim()));
  let loaded: Promise<{ readonly byId: ReadonlyMap<string, Counted>; readonly whole: Counted }> | undefined;

  async function load(): Promise<{ byId: Map<string, Counted>; whole: Counted }> {
    const known = await source.columns();
    const missing = [...there, ...ready.flatMap(({ reads }) => reads)].find((column) => !known.includes(column));
    if (missing !== undefined && known.length > 0)
      throw new YoroshiError("tableBroken", {
        table: source.name,
        place: "row 1",
        problem: `there is no column \`${missing}\`, which the plan's related rows need. Columns: ${known.join(", ")}.`,
      });
    const [byId, whole] = [new Map<string, Counted>(), start()];
    let number = 0;
    for await (const rows of source.rows())
      for (const row of rows) {
        number++;
        const id = idOf(row, there);
        const own = byId.get(id) ?? start();
        byId.set(id, own);
        try {
          for (const counter of [...own.counters, ...whole.counters]) counter.add(row);
        } catch (error) {
          if (!(error instanceof BadRow)) throw error;
          own.problem ??= `row ${number} of ${source.name}: ${error.message}`;
        }
      }
    return { byId, whole };
  }

  return {
    columns: () => source.columns(),
    async of(rows) {
      const { byId, whole } = await (loaded ??= load());
      return rows.map((row): FoundRows => {
        const { counters, problem } = byId.get(idOf(row.values, here)) ?? start();
        const figures: Record<string, CellValue> = {};
        for (const [index, { column }] of ready.entries())
          figures[column.name] = problem === undefined ? counters[index]!.value(whole.counters[index]!) : "";
        return { rows: [], left: 0, figures, ...(problem === undefined ? {} : { problem }) };
      });
    },
    mark: () => source.mark(),
    async close() {
      loaded = undefined;
    },
  };
}
