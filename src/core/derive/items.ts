import { filledMark, filledRows, inputsFor, type FillSetup } from "../cells/index.js";
import { canonicalJson, nearest, YoroshiError, type ItemsSource, type Json } from "../ground/index.js";
import { kindNames, kindOf, shapeSpec, type AnySpec, type Shaped } from "../kinds/index.js";
import type { CellRecord } from "../ledger/index.js";
import { columnsOf, isTemplateStep, writerOf } from "../plan/index.js";
import { defangCopied, type Row, type TargetColumn } from "../table/index.js";
import { partAt, type NamedShape } from "../template/index.js";
import type { MadeRows } from "./derived-table.js";
import { numbered, type Numbered } from "./numbers.js";

export interface ItemsOptions {
  /** The plan whose table the items make: the numbers of its rows are kept under its name. */
  readonly plan: string;
  /** The column of the items' keys. */
  readonly key: string;
}

/** A list that stands in a column by itself: names of what is attached to an e-mail. */
const LIST_OF_NAMES = { kind: "list", of: { kind: "text" } } as AnySpec;

/** The column of items that are no records. */
const ITEM = "item";
/** The step under which the numbers of items stand in the ledger; no step of a plan has such a name. */
const NUMBERS = "(numbers)";

/**
 * One row for each item of a list that a plan's column holds: a record's parts in columns of their own, any other item in
 * the column `item`. Beside it stand the key columns of the row that it came from, and the columns carried along.
 *
 * An item's key is its row's key and a number, `R-012/2`. It keeps the number as long as it stays in the list, also when
 * others come or go before it, or when it is put in other words; see `numbered`.
 *
 * @throws YoroshiError `tableBroken` where the column does not hold a list.
 * @example
 * ```ts
 * import { fill, itemRows, memoryLedger, memoryTable, plan, prepare, systemClock, template, type FillSetup } from "yoroshi";
 * import { standin } from "yoroshi/standin";
 *
 * const jobs = template({
 *   name: "jobs",
 *   inputs: { note: { kind: "text" } },
 *   task: "What has to be done? {{ note }}",
 *   answer: { jobs: { kind: "list", of: { kind: "text", maxChars: 80 } } },
 * });
 * const setup: FillSetup = {
 *   plan: plan({
 *     name: "todo",
 *     table: { file: "memory", key: "id" },
 *     steps: { find: { template: "jobs", inputs: { note: "text" }, fill: { jobs: "jobs" } } },
 *   }),
 *   asking: { find: { prepared: prepare(jobs), version: 1, model: standin() } },
 *   table: memoryTable([{ id: "1", text: "The pump leaks. Order a seal." }], { key: "id" }),
 *   ledger: memoryLedger(),
 *   clock: systemClock(),
 * };
 * await fill(setup);
 * const made = itemRows(setup, { of: "todo", column: "jobs", carry: ["text"] }, { plan: "items", key: "number" });
 * made.columns.map(({ name }) => name); // => ["id", "text", "item"]
 * ```
 */
export function itemRows(parent: FillSetup, { of, column, carry = [] }: ItemsSource, { plan, key }: ItemsOptions): MadeRows {
  const list = listShape(parent, of, column);
  const parts = partsOfItem(list);
  const carried = [...new Set([...parent.table.keyColumns, ...carry])];
  const twice = [key, ...parts.map(({ column: own }) => own.name)].find(
    (name, index, all) => carried.includes(name) || all.indexOf(name) !== index,
  );
  if (twice !== undefined)
    throw new YoroshiError("tableBroken", {
      table: `${of}.${column}`,
      place: "items",
      problem: `two columns would be named \`${twice}\`. Give the key another name, or the part of the answer.`,
    });
  const { ledger, clock } = parent;

  const numbers = async function* (): AsyncGenerator<{
    rows: readonly { row: Row; values: Record<string, string | undefined>; items: Numbered; problem: string | undefined; known: boolean }[];
    share: number;
  }> {
    for await (const { rows, share } of filledRows(parent)) {
      const records = await ledger.cells.find(
        plan,
        NUMBERS,
        rows.map(({ row }) => row.key),
      );
      yield {
        share,
        rows: rows
          .filter(({ row }) => row.problem === undefined)
          .map((passed) => {
            const values = inputsFor(Object.fromEntries([column, ...carried].map((name) => [name, name])), passed);
            const before = numbersIn(records.get(passed.row.key));
            const read = readItems(list, values[column] ?? "");
            // A list that a person made unreadable takes no row away.
            const items = "problem" in read ? before : numbered(before, read.items);
            return {
              row: passed.row,
              values,
              items,
              problem: "problem" in read ? read.problem : undefined,
              known: JSON.stringify(items) === JSON.stringify(before),
            };
          }),
      };
    }
  };

  return {
    name: `${of}.${column}`,
    columns: [...carried.map((name) => ({ name, type: "text" as const, freeText: false })), ...parts.map(({ column: own }) => own)],
    async *rows() {
      for await (const { rows, share } of numbers()) {
        yield {
          share,
          rows: rows.flatMap(({ row, values, items, problem }) => [
            ...items.items.map(({ number, item }): Row => {
              const own = `${defangCopied(row.key)}/${number}`;
              return {
                key: own,
                place: `item ${number} of ${row.key}`,
                values: {
                  [key]: own,
                  ...Object.fromEntries(carried.map((name) => [name, defangCopied(values[name] ?? "")])),
                  ...Object.fromEntries(parts.map(({ column: { name }, cell }) => [name, cell(item)])),
                },
              };
            }),
            ...(problem === undefined
              ? []
              : [{ key: `${row.key}/?`, place: `column ${column} of ${row.key}`, values: {}, problem: `\`${column}\` ${problem}` }]),
          ]),
        };
      }
    },
    mark: async () => {
      const mark = await filledMark(parent);
      return mark === undefined ? undefined : canonicalJson([mark, column, carry as Json]);
    },
    async settle() {
      for await (const { rows } of numbers()) {
        const changed = rows.filter(({ known }) => !known);
        if (changed.length > 0)
          await ledger.record({ cells: changed.map(({ row, items }) => numbersRecord(plan, row.key, items, clock.now())) });
      }
    },
  };
}

function listShape(parent: FillSetup, of: string, column: string): NamedShape {
  const stepName = writerOf(parent.plan, column);
  const bad = (problem: string): never => {
    throw new YoroshiError("tableBroken", { table: `${of}.${column}`, place: "items", problem });
  };
  const known = Object.values(parent.plan.steps).flatMap(columnsOf);
  const near = nearest(column, known);
  if (stepName === undefined)
    return bad(
      `the plan ${of} fills no column \`${column}\`. ${near === undefined ? `It fills: ${known.join(", ")}.` : `Did you mean \`${near}\`?`}`,
    );
  const step = parent.plan.steps[stepName]!;
  const part = isTemplateStep(step) ? partAt(parent.asking[stepName]!.prepared.parts, step.fill[column]!) : undefined;
  if (part?.kind.item) return part;
  const own = isTemplateStep(step) ? undefined : step.set[column];
  if (typeof own === "object" && "own" in own && own.holds === "list") return { name: column, ...shapeSpec(LIST_OF_NAMES, kindOf) };
  const lists = kindNames.filter((name) => kindOf(name).item);
  return bad(
    `\`${column}\` holds no list${part ? `, but the kind ${part.spec.kind}` : ""}. Rows are made of the kinds ${lists.join(" and ")}.`,
  );
}

/** The columns that an item gives, each with its cell. */
function partsOfItem(list: NamedShape): { readonly column: TargetColumn; cell(item: Json): string }[] {
  const spec = list.kind.item!(list.spec);
  const parts = (spec as { parts?: Readonly<Record<string, AnySpec>> }).parts;
  const partOf = (name: string, shape: Shaped, valueOf: (item: Json) => Json): ReturnType<typeof partsOfItem>[number] => ({
    column: { name, type: shape.kind.cellType?.(shape.spec) ?? "text", freeText: shape.kind.freeText === true },
    cell: (item) => shape.toCell(valueOf(item)),
  });
  if (!parts) return [partOf(ITEM, shapeSpec(spec, kindOf), (item) => item)];
  return Object.entries(parts).map(([name, part]) =>
    partOf(name, shapeSpec(part, kindOf), (item) => (item as Record<string, Json>)[name] ?? null),
  );
}

function readItems(list: NamedShape, cell: string): { readonly items: readonly Json[] } | { readonly problem: string } {
  if (cell.trim() === "") return { items: [] };
  const reading = list.fromCell(cell);
  return reading.ok ? { items: reading.value as Json[] } : { problem: reading.problem };
}

function numbersIn(record: CellRecord | undefined): Numbered {
  const kept = record?.values["items"];
  return typeof kept === "string" ? (JSON.parse(kept) as Numbered) : { items: [], next: 1 };
}

const numbersRecord = (plan: string, key: string, items: Numbered, at: number): CellRecord => ({
  plan,
  step: NUMBERS,
  key,
  state: "filled",
  values: { items: JSON.stringify(items) },
  run: "derived",
  at,
});
