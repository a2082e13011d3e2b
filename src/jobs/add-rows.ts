import * as z from "zod";
import {
  isMade,
  joinKey,
  keyColumnsOf,
  nearest,
  YoroshiError,
  type CellOut,
  type Growth,
  type StandingRow,
  type Table,
} from "../core/index.js";
import { defineJob } from "./job.js";
import { wishRound } from "./watch/wish-round.js";
import { whileHolding } from "./while-holding.js";

const MOST_ROWS = 1_000;

/** New rows of a plan's table, behind all others. */
export const addRows = defineJob({
  name: "addRows",
  summary: "Adds rows to a plan's table, behind all others; a row without a key gets the next one. The next fill answers them.",
  input: z.strictObject({
    plan: z.string(),
    /** Column -> value, for each row; columns of the table, not those that the plan fills. */
    rows: z
      .array(z.record(z.string(), z.union([z.string(), z.number(), z.boolean()])))
      .min(1)
      .max(MOST_ROWS),
  }),
  report: z.object({ plan: z.string(), table: z.string(), keys: z.array(z.string()) }),
  async run(project, { plan: name, rows }) {
    const plan = await project.plan(name);
    if (isMade(plan.table))
      throw new YoroshiError("badOption", {
        option: name,
        problem: "its rows are made of others, or of files, so none can be added to it.",
      });
    const source = await project.table(plan);
    const known = await source.columns();
    const given = rows.map((row) => Object.fromEntries(Object.entries(row).map(([column, value]) => [column, String(value)])));
    for (const row of given) checkColumns(row, known, source.name);
    // Of a table that takes new rows the file itself is the target.
    const table = await project.tables.table(plan.table, { grows: true });
    return whileHolding(project, `write:${table.target}`, table.target, async () => {
      const keyed = await withKeys(source, keyColumnsOf(plan.table.key), given);
      await append(table, known, keyed);
      if (plan.watch)
        await wishRound(
          project,
          plan.name,
          keyed.map(({ key }) => key),
        );
      return { plan: plan.name, table: source.name, keys: keyed.map(({ key }) => key) };
    });
  },
});

function checkColumns(row: Readonly<Record<string, string>>, known: readonly string[], table: string): void {
  const unknown = Object.keys(row).find((column) => !known.includes(column));
  if (unknown === undefined) return;
  const near = nearest(unknown, known);
  throw new YoroshiError("badInput", {
    job: "addRows",
    problems: [
      `${table} has no column \`${unknown}\`. ${near ? `Did you mean \`${near}\`?` : `Columns: ${known.join(", ")}`}`.replace(/\.$/, ""),
    ],
  });
}

/** The rows with their keys, none of them twice. @throws YoroshiError `rowExists`. */
async function withKeys(table: Table, key: readonly string[], rows: readonly Record<string, string>[]): Promise<StandingRow[]> {
  const wanted = rows.map((row) =>
    key.every((column) => (row[column] ?? "").trim() !== "") ? joinKey(key.map((column) => row[column]!)) : undefined,
  );
  const asked = new Set(wanted.filter((one) => one !== undefined));
  if (asked.size !== wanted.filter((one) => one !== undefined).length) throw new YoroshiError("rowExists", { table: table.name, keys: [] });
  const taken: string[] = [];
  let last: { readonly before: string; readonly number: bigint; readonly width: number } | undefined;
  for await (const { rows: some } of table.read())
    for (const { key: own } of some) {
      if (asked.has(own)) taken.push(own);
      const [, before, digits] = /^(.*?)(\d{1,18})$/.exec(own) ?? [];
      if (digits !== undefined && (!last || BigInt(digits) > last.number))
        last = { before: before!, number: BigInt(digits), width: digits.length };
    }
  if (taken.length > 0) throw new YoroshiError("rowExists", { table: table.name, keys: taken.slice(0, 5) });
  return rows.map((row, index) => {
    const own = wanted[index];
    if (own !== undefined) return { key: own, values: row };
    if (key.length > 1)
      throw new YoroshiError("badInput", {
        job: "addRows",
        problems: [`row ${index + 1} needs ${key.map((column) => `\`${column}\``).join(", ")}`],
      });
    last = { ...(last ?? { before: "", width: 1 }), number: (last?.number ?? 0n) + 1n };
    const next = `${last.before}${String(last.number).padStart(last.width, "0")}`;
    if (asked.has(next)) throw new YoroshiError("rowExists", { table: table.name, keys: [next] });
    return { key: next, values: { ...row, [key[0]!]: next } };
  });
}

async function append(table: Table, columns: readonly string[], rows: readonly StandingRow[]): Promise<void> {
  const cells = new Map(rows.map(({ key, values }) => [key, values]));
  const { keyColumns } = table;
  const others = columns.filter((column) => !keyColumns.includes(column));
  const growth: Growth = {
    goes: () => false,
    async *added() {
      yield rows.map(({ key, values }) => ({ key, values: Object.fromEntries(keyColumns.map((column) => [column, values[column]!])) }));
    },
  };
  await table.write(
    others.map((name) => ({ name, freeText: true })),
    async (keys) =>
      keys.map((key) => {
        const row = cells.get(key);
        return row && (Object.fromEntries(others.map((column) => [column, row[column] ?? ""])) as Record<string, CellOut>);
      }),
    { growth },
  );
}
