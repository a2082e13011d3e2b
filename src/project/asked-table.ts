import {
  canonicalJson,
  filledMark,
  filledRows,
  inquiryColumns,
  inquiryWorking,
  isRows,
  plainJson,
  relatedColumns,
  rowFor,
  sha256Hex,
  targetColumns,
  workOf,
  type AskedTable,
  type FillSetup,
  type InquiryRow,
  type KeyedRow,
  type Passing,
  type Working,
} from "../core/index.js";
import type { Project } from "./project-port.js";

/** Rows by which columns are looked at. */
const LOOKED_AT = 20_000;
/** Rows of a table that is asked several questions stay in memory up to so many. */
const MOST_KEPT = 200_000;

/** What a table that questions are asked of needs of its project. */
export interface AskedTables extends Pick<Project, "isPlan" | "tables"> {
  /** A plan with all that it names, which asks nothing. */
  setupOf(plan: string): Promise<FillSetup>;
}

/** A plan's table, its columns filled; or a table by its path, or its name in a database. */
export async function openAskedTable(project: AskedTables, of: string): Promise<AskedTable> {
  if (await project.isPlan(of)) return planAsked(await project.setupOf(of));
  const source = await project.tables.rows(project.tables.named(of));
  async function* rows(): AsyncIterable<readonly KeyedRow[]> {
    let number = 0;
    for await (const some of source.rows()) yield some.map((row) => ({ key: `row ${++number}`, row }));
  }
  const columns = inquiryColumns(await source.columns(), await firstRows(rows()));
  return { name: source.name, columns, rows };
}

/** A mark that changes when what stands in such a table does; `undefined` where that cannot be told. */
async function askedMark(project: AskedTables, of: string): Promise<string | undefined> {
  return (await project.isPlan(of)) ? filledMark(await project.setupOf(of)) : (await project.tables.rows(project.tables.named(of))).mark();
}

async function planAsked(setup: FillSetup): Promise<AskedTable> {
  async function* rows(): AsyncIterable<readonly KeyedRow[]> {
    for await (const { rows: some } of filledRows(setup))
      yield some
        .filter(({ row }) => row.problem === undefined)
        .map((passed) => ({ key: passed.row.key, row: { ...rowFor(passed), ...passed.row.numbers, ...figuresIn(passed.related) } }));
  }
  const first = await firstRows(rows());
  const related = Object.entries(setup.plan.related ?? {});
  const figures = new Map<string, { readonly rows: string; readonly name: string }>(
    related.flatMap(([rows, source]) => Object.keys(source.figures ?? {}).map((name) => [`${rows}.${name}`, { rows, name }] as const)),
  );
  const names = [...new Set([...(await setup.table.columns()), ...targetColumns(setup).map(({ name }) => name), ...figures.keys()])];
  const others = new Map(
    related.flatMap(([name, { figures: own, match, columns = {} }]) => {
      const renamed = Object.entries(columns).flatMap(([to, from]) => (to === from ? [] : [from]));
      return own ? [] : [[name, new Set([...Object.keys(match), ...renamed])] as const];
    }),
  );
  return {
    name: setup.plan.name,
    columns: [
      ...inquiryColumns(names, first, workOf(setup)).map((column) => ({ ...column, figure: figures.get(column.name) })),
      ...relatedColumns(others, first),
    ],
    rows,
  };
}

/** Figures of rows that belong to a row, as columns of its own: `receipts.total`. */
const figuresIn = (related: Passing["related"]): InquiryRow =>
  Object.fromEntries(
    Object.entries(related).flatMap(([name, found]) =>
      isRows(found) ? [] : Object.entries(found).map(([figure, value]) => [`${name}.${figure}`, value] as const),
    ),
  );

async function firstRows(rows: AsyncIterable<readonly KeyedRow[]>): Promise<InquiryRow[]> {
  const first: InquiryRow[] = [];
  for await (const some of rows) {
    first.push(...some.map(({ row }) => row));
    if (first.length >= LOOKED_AT) break;
  }
  return first;
}

/** A table for several questions: read once where it is not too large, with a hash of what stands in it. */
async function keptAsked(table: AskedTable): Promise<{ readonly table: AskedTable; readonly basis: string }> {
  const kept: (readonly KeyedRow[])[] = [];
  let [count, basis] = [0, ""];
  for await (const some of table.rows()) {
    basis = sha256Hex(basis + canonicalJson(plainJson(some)));
    count += some.length;
    if (count <= MOST_KEPT) kept.push(some);
    else kept.length = 0;
  }
  async function* rows(): AsyncIterable<readonly KeyedRow[]> {
    yield* kept;
  }
  return { table: count <= MOST_KEPT ? { ...table, rows } : table, basis: `${table.name} ${basis}` };
}

/** What code makes of questions to tables, each read once as long as it stands: a page asks for it again and again. */
export class AskedWorkings {
  readonly #kept = new Map<string, { readonly mark: string; readonly working: Working }>();

  constructor(readonly project: Omit<AskedTables, "setupOf">) {}

  /** @param setupOf a plan with all that it names, which asks nothing. */
  async on(of: string, setupOf: AskedTables["setupOf"]): Promise<Working> {
    const tables = { ...this.project, setupOf };
    const mark = await askedMark(tables, of);
    const known = this.#kept.get(of);
    if (mark !== undefined && known?.mark === mark) return known.working;
    const { table, basis } = await keptAsked(await openAskedTable(tables, of));
    const working = inquiryWorking(table, basis);
    if (mark !== undefined) this.#kept.set(of, { mark, working });
    return working;
  }
}
