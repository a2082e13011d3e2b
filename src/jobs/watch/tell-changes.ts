import * as z from "zod";
import { inDatabase, ofPlan, YoroshiError, type TableSource } from "../../core/index.js";
import { defineJob } from "../job.js";

/** The statements by which the tables of a plan tell of their changes. */
export const tellChanges = defineJob({
  name: "tellChanges",
  summary: "Gives the statements by which a plan's tables in PostgreSQL tell of their changes, for their owner to run; nothing is run.",
  input: z.strictObject({ plan: z.string() }),
  report: z.object({
    plan: z.string(),
    tables: z.array(
      z.object({
        database: z.string(),
        table: z.string(),
        /** Whether it tells of its changes already. */
        tells: z.boolean(),
        statements: z.array(z.string()),
      }),
    ),
  }),
  async run(project, { plan: name }) {
    const plan = await project.plan(name);
    const { tellingStatements, tellsOfChanges } = await import("../../adapters/sql/index.js");
    const sources = [plan.table, ...Object.values(plan.related ?? {}).map(({ table }) => table)];
    const tables = [];
    for (const source of sources) {
      if (ofPlan(source) || !inDatabase(source) || source.table === undefined) continue;
      const database = await project.database(source.database);
      if (!database.hear) continue;
      // Of a related table any row may concern any of ours: its key says nothing.
      const key = source === plan.table ? (source as TableSource).key : [];
      tables.push({
        database: source.database,
        table: source.table,
        tells: await tellsOfChanges(database, source.table),
        statements: tellingStatements({ table: source.table, key }),
      });
    }
    if (tables.length === 0)
      throw new YoroshiError("badOption", {
        option: "--triggers",
        problem: `the plan ${plan.name} reads no table of a PostgreSQL database; other tables are looked at by themselves.`,
      });
    return { plan: plan.name, tables };
  },
});
