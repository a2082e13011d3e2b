import { sqliteLookup } from "../adapters/sqlite-lookup/index.js";
import {
  isMade,
  DEFAULT_RELATED_LIMIT,
  figuredRelated,
  inDatabase,
  isYoroshiError,
  ofPlan,
  targetColumns,
  templateSteps,
  typed,
  type Asking,
  type FigureRows,
  type Plan,
  type PlanRows,
  type Related,
  type RelatedRow,
  type RelatedSource,
  type RowSource,
  type RowsSource,
  type TargetColumn,
} from "../core/index.js";
import { filledName } from "../files/index.js";
import type { Project } from "./project-port.js";
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

  /** @param planned a plan, and its columns with their types. */
  constructor(
    readonly tables: Tables,
    readonly planned: (name: string) => Promise<{ readonly plan: Plan; readonly targets: readonly TargetColumn[] }>,
    /** Whether a file is there. */
    readonly isThere: (file: string) => boolean,
  ) {}

  /** The related rows that a plan names, ready to be looked up. */
  async of(plan: Plan): Promise<Record<string, Related>> {
    const all: Record<string, Related> = {};
    for (const [name, related] of Object.entries(plan.related ?? {})) {
      const { source, figured } = ofPlan(related.table)
        ? await this.#ofPlan(related.table)
        : { source: await this.tables.rows(related.table), figured: undefined };
      all[name] = await this.#opened(source, figured ?? source, related);
    }
    return all;
  }

  /**
   * The rows of another plan as they now stand where it keeps them, its columns typed: of one that has not begun, none. Its table may
   * be made of the very plan that reads them.
   */
  async #ofPlan({ plan: name }: PlanRows): Promise<{ readonly source: RowSource; readonly figured: FigureRows }> {
    const { plan, targets } = await this.planned(name);
    const stands = this.#standing(plan);
    const none: RowSource = {
      name: `the plan ${name}`,
      columns: async () => [],
      rows: async function* () {},
      mark: async () => "not begun",
    };
    const source = stands && (await this.#isBegun(plan, stands)) ? await this.tables.rows(stands) : none;
    const types = new Map(targets.map((target) => [target.name, { type: target.type ?? ("text" as const) }]));
    const asFigured = (row: RelatedRow): Record<string, unknown> =>
      Object.fromEntries(
        Object.entries(row).map(([column, value]) => [column, types.has(column) ? typed(types.get(column)!, value) : value]),
      );
    return {
      source,
      figured: {
        name: source.name,
        columns: () => source.columns(),
        mark: () => source.mark(),
        async *rows() {
          for await (const rows of source.rows()) yield rows.map(asFigured);
        },
      },
    };
  }

  /** Whether there is anything yet: a table in a database, of rows that are made, comes with the first fill. */
  async #isBegun({ table }: Plan, stands: RowsSource): Promise<boolean> {
    if (!inDatabase(stands) || !isMade(table)) return true;
    const source = await this.tables.rows(stands);
    return source.columns().then(
      () => true,
      (error: unknown) => {
        if (isYoroshiError(error) && error.code === "tableBroken") return false;
        throw error;
      },
    );
  }

  /** Where a plan's filled columns stand. */
  #standing({ table }: Plan): RowsSource | undefined {
    if (inDatabase(table)) {
      const {
        database,
        table: name,
        into,
        query,
      } = table as RowsSource & { database: string; table?: string; into?: string; query?: string };
      return into !== undefined ? { database, table: into } : name !== undefined ? { database, table: name } : { database, query: query! };
    }
    const { sheet, table: part, headerRow } = table;
    const place = {
      ...(sheet === undefined ? {} : { sheet }),
      ...(part === undefined ? {} : { table: part }),
      ...(headerRow === undefined ? {} : { headerRow }),
    };
    const file = [filledName(table.file), table.file].find((one) => this.isThere(one));
    return file === undefined ? undefined : { file, ...place };
  }

  async #opened(
    source: RowSource,
    figured: FigureRows,
    { table, match, columns, order, limit, keep, figures }: RelatedSource,
  ): Promise<Related> {
    const mark = await source.mark();
    const way = { match, columns, order, limit: limit ?? DEFAULT_RELATED_LIMIT, keep: keep ?? ("newest" as const) };
    const id = JSON.stringify([table, way, figures]);
    const opened = this.#open.get(id) ?? [];
    const [newest] = opened;
    if (newest && mark !== undefined && newest.mark === mark) return newest.related;
    const related = figures ? figuredRelated(figured, { match, figures }) : sqliteLookup(source, way);
    this.#open.set(id, [{ mark, related }, ...opened.slice(0, MOST_OLD)]);
    for (const old of opened.slice(MOST_OLD)) await old.related.close();
    return related;
  }

  async close(): Promise<void> {
    for (const { related } of [...this.#open.values()].flat()) await related.close();
    this.#open.clear();
  }
}

/** A plan with its columns and their types; nothing of its table is opened. */
export async function plannedColumns(
  project: Pick<Project, "plan" | "stepTemplate" | "openModels" | "prepare">,
  name: string,
): Promise<{ readonly plan: Plan; readonly targets: readonly TargetColumn[] }> {
  const plan = await project.plan(name);
  const asking: Record<string, Asking> = {};
  for (const { name: step, step: about } of templateSteps(plan)) {
    const { template } = await project.stepTemplate(about);
    const { model } = await project.openModels(template, { asks: false });
    asking[step] = { prepared: await project.prepare(template), version: 1, model };
  }
  return { plan, targets: targetColumns({ plan, asking }) };
}
