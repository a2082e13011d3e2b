import { sourceName, type TableSource } from "../ground/index.js";
import type { Ledger } from "../ledger/index.js";
import { AFTER_STEP, readyAfterRules, sameTable, type Plan, type ReadyAfterRule, type RuleValue } from "../plan/index.js";
import { keyColumnsOf, joinKey, shownCell, type CellValue, type Row, type TargetColumn } from "../table/index.js";
import type { MadeRows } from "../derive/index.js";

/** Another table that rules of a plan write into: rows that they append, or columns of rows that are there. */
export interface OtherTable {
  /** Under which the ledger keeps its cells. */
  readonly name: string;
  readonly source: TableSource;
  readonly what: "append" | "set";
  readonly rules: readonly ReadyAfterRule[];
  readonly columns: readonly TargetColumn[];
}

/** The other tables that a plan's rules write into, each once. */
export function otherTables(plan: Pick<Plan, "name" | "afterwards">): OtherTable[] {
  const found: { source: TableSource; what: OtherTable["what"]; rules: ReadyAfterRule[] }[] = [];
  for (const ready of readyAfterRules(plan)) {
    const uses = [
      ...(ready.rule.append ? [{ source: ready.rule.append.table, what: "append" as const }] : []),
      ...(ready.rule.in ? [{ source: ready.rule.in.table, what: "set" as const }] : []),
    ];
    for (const { source, what } of uses) {
      const known = found.find((one) => one.what === what && sameTable(one.source, source));
      if (known) known.rules.push(ready);
      else found.push({ source, what, rules: [ready] });
    }
  }
  return found.map(({ source, what, rules }) => {
    const key = keyColumnsOf(source.key);
    const columns = new Map<string, TargetColumn>();
    for (const rule of rules)
      for (const { column, type, freeText } of what === "append" ? rule.append : rule.set)
        if (!key.includes(column)) columns.set(column, { name: column, type, freeText });
    return { name: otherName(plan.name, source), source, what, rules, columns: [...columns.values()] };
  });
}

const otherName = (plan: string, source: TableSource): string => `${plan} > ${sourceName(source)}`;

const writtenName = (name: string): string => `there:${name}`;

/** When such a table was last written, milliseconds since 1970; what the ledger has got since then is not in it yet. */
export async function otherWrittenAt({ facts }: Pick<Ledger, "facts">, name: string): Promise<number | undefined> {
  return ((await facts.get(writtenName(name))) ?? undefined) as number | undefined;
}

/** Keeps that such a table stands as the ledger says. */
export const keepOtherWritten = ({ facts }: Pick<Ledger, "facts">, name: string, at: number): Promise<void> =>
  facts.set(writtenName(name), at);

/** Whether a name is that of such a table's cells, not of a plan. */
export const isOtherName = (name: string): boolean => name.includes(" > ");

/** The plan by which such a table is written, like the table of any plan. */
export function otherPlan(plan: Plan, { name, source, what, columns }: OtherTable): Plan {
  const steps = what === "append" ? {} : { [AFTER_STEP]: { set: Object.fromEntries(columns.map((ruled) => [ruled.name, { ruled }])) } };
  return { name, table: source, steps, limits: {}, refill: plan.refill };
}

/** The rows that rules have appended, as they now are: those for which a rule holds. Of two with one key the first counts. */
export function appendedRows(ledger: Ledger, plan: Pick<Plan, "name">, { name, source, rules, columns }: OtherTable): MadeRows {
  const key = keyColumnsOf(source.key);
  const keyIn = (row: Readonly<Record<string, CellValue>>): string => joinKey(key.map((column) => shownCell(row[column])));
  return {
    name: sourceName(source),
    columns,
    async *rows() {
      const seen = new Set<string>();
      for await (const some of ledger.afterwards.all(plan.name)) {
        const rows: Row[] = [];
        for (const { rules: states, key: from } of some)
          for (const { id } of rules) {
            const gives = states[id]?.gives;
            if (!gives) continue;
            const values = Object.fromEntries(Object.entries(gives).map(([column, value]) => [column, shownCell(value)]));
            const own = joinKey(key.map((column) => values[column] ?? ""));
            if (seen.has(own) || key.some((column) => (values[column] ?? "").trim() === "")) continue;
            seen.add(own);
            rows.push({ key: own, place: `for the row ${from}`, values });
          }
        if (rows.length > 0) yield { rows, share: 1 };
      }
    },
    async gone() {
      const since = (await otherWrittenAt(ledger, name)) ?? 0;
      const gone = new Set<string>();
      for await (const some of ledger.afterwards.all(plan.name))
        for (const { rules: states, at } of some)
          for (const { id } of at >= since ? rules : []) {
            const gave = states[id]?.gave;
            if (gave) gone.add(keyIn(gave));
          }
      return gone;
    },
    mark: () => ledger.afterwards.mark(plan.name),
  };
}

/** The types that a rule's values have where they are columns of the plan as they stand. */
export function withTypes(other: OtherTable, typeOf: (column: string) => TargetColumn | undefined): OtherTable {
  const values = (rule: ReadyAfterRule): readonly RuleValue[] => (other.what === "append" ? rule.append : rule.set);
  const same = new Map(other.rules.flatMap((rule) => values(rule).map((value) => [value.column, value.same] as const)));
  return {
    ...other,
    columns: other.columns.map((column) => {
      const source = same.get(column.name);
      const known = source === undefined ? undefined : typeOf(source);
      return known ? { ...known, name: column.name } : column;
    }),
  };
}
