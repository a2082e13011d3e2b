import { isMade, complain, nearest, type Complaint, type SourceDocument } from "../ground/index.js";
import { keyColumnsOf } from "../table/index.js";
import type { Template } from "../template/index.js";
import { afterPlace, afterRules, readyAfterRules, sameTable, type ReadyAfterRule } from "./after-rules.js";
import type { KnownTable } from "./known-table.js";
import { columnsRead } from "./order.js";
import { columnsOf, isTemplateStep, writerOf, type AfterRule, type Plan } from "./plan.js";

type At = readonly (string | number)[];

/** Holds the rules of a plan against its steps and, where they are known, the columns of its table. */
export function checkAfterwards(
  plan: Plan,
  templates: Readonly<Record<string, Template>>,
  document: SourceDocument,
  table: KnownTable | undefined,
): Complaint[] {
  const places = afterRules(plan).map(({ path }) => afterPlace(document, path));
  return readyAfterRules(plan).flatMap((ready, index) => {
    const at = places[index]!;
    return [
      ...checkSet(plan, ready.rule, document, at),
      ...checkAppend(plan, ready.rule, document, at),
      ...checkNotify(ready.rule, document, at),
      ...checkStep(plan, ready.rule, document, at),
      ...checkCircle(plan, templates, ready, document, at),
      ...(table ? checkReads(plan, ready, document, at, table) : []),
    ];
  });
}

const odd = (document: SourceDocument, path: At, problem: string): Complaint => complain("badValue", document.at(path), { problem });

function checkSet(plan: Plan, { set, in: other }: AfterRule, document: SourceDocument, at: At): Complaint[] {
  if (!set) return [];
  const columns = Object.keys(set);
  const place = (column: string): At => [...at, "set", column];
  if (other) {
    const key = keyColumnsOf(other.table.key);
    const matched = Object.keys(other.match);
    const problem = key
      .filter((column) => !matched.includes(column))
      .map((column) => `\`${column}\` names its rows: say which column here gives it.`);
    return [
      ...problem.map((one) => odd(document, [...at, "in", "match"], one)),
      ...columns.filter((column) => key.includes(column)).map((column) => complain("keyFilled", document.atKey(place(column)), { column })),
      ...(sameTable(other.table, plan.table)
        ? [odd(document, [...at, "in", "table"], "This is the plan's own table: leave `in` out.")]
        : []),
    ];
  }
  return columns.flatMap((column) => {
    if (keyColumnsOf(plan.table.key).includes(column)) return [complain("keyFilled", document.atKey(place(column)), { column })];
    const first = writerOf(plan, column);
    return first === undefined ? [] : [complain("twoWriters", document.atKey(place(column)), { column, first, second: "a rule" })];
  });
}

function checkAppend(plan: Plan, { append }: AfterRule, document: SourceDocument, at: At): Complaint[] {
  if (!append) return [];
  const { table, set, back = [] } = append;
  const key = keyColumnsOf(table.key);
  const path = [...at, "append"];
  return [
    ...key
      .filter((column) => !(column in set))
      .map((column) =>
        complain("missingKey", document.atKey([...path, "set"]), { key: column, hint: "It names the row there: say what it gets." }),
      ),
    ...(sameTable(table, plan.table) ? [odd(document, [...path, "table"], "Rows cannot be appended to the plan's own table.")] : []),
    ...(isMade(table) || ("query" in table && table.query !== undefined)
      ? [odd(document, [...path, "table"], "Rows are appended to a file, or to a table of a database.")]
      : []),
    ...back.flatMap((column, index) => {
      const place = [...path, "back", index];
      if (key.includes(column)) return [odd(document, place, `\`${column}\` names the row there and cannot come back.`)];
      if (keyColumnsOf(plan.table.key).includes(column)) return [complain("keyFilled", document.at(place), { column })];
      return writerOf(plan, column) !== undefined && !(column in set)
        ? [
            odd(
              document,
              place,
              `The step \`${writerOf(plan, column)}\` fills \`${column}\`: give the appended row its value, too, or another name.`,
            ),
          ]
        : [];
    }),
  ];
}

function checkNotify({ notify }: AfterRule, document: SourceDocument, at: At): Complaint[] {
  if (!notify || typeof notify.url !== "string" || /^https?:\/\/[^/?#\s]+/i.test(notify.url)) return [];
  return [odd(document, [...at, "notify", "url"], "Expected an address that begins with https://, or `{ env: NAME }`.")];
}

function checkStep(plan: Plan, { step }: AfterRule, document: SourceDocument, at: At): Complaint[] {
  if (step === undefined) return [];
  const known = Object.keys(plan.steps);
  if (!known.includes(step)) {
    const near = nearest(step, known);
    const hint = near ? `Did you mean \`${near}\`?` : `Steps: ${known.join(", ")}.`;
    return [odd(document, [...at, "step"], `The plan has no step \`${step}\`. ${hint}`)];
  }
  return isTemplateStep(plan.steps[step]!)
    ? []
    : [odd(document, [...at, "step"], `The step \`${step}\` asks nothing: give it a \`when\` of its own.`)];
}

/** What a rule changes must not come back to it by the steps of the plan. */
function checkCircle(
  plan: Plan,
  templates: Readonly<Record<string, Template>>,
  { id, rule, reads }: ReadyAfterRule,
  document: SourceDocument,
  at: At,
): Complaint[] {
  const steps = Object.entries(plan.steps).map(([name, step]) => ({
    name,
    reads: columnsRead(step, templates[name]),
    fills: columnsOf(step),
  }));
  const circle = (path: At, column: string, step: string): Complaint =>
    complain("rulesInCircle", document.at(path), { rule: id, column, step });
  /** The steps that what is in some columns goes into, one after the other. */
  const reached = (columns: readonly string[]): Set<string> => {
    const all = new Set(columns);
    for (let before = -1; before !== all.size;) {
      before = all.size;
      for (const one of steps) if (one.reads.some((column) => all.has(column))) for (const column of one.fills) all.add(column);
    }
    return all;
  };
  const found: Complaint[] = [];
  for (const column of rule.in ? [] : Object.keys(rule.set ?? {})) {
    const step = steps.find((one) => one.reads.includes(column));
    // Steps are done before rules: one that reads what rules set would have to be done again for each of them.
    if (step) found.push(circle([...at, "set", column], column, step.name));
  }
  const own = rule.step === undefined ? undefined : steps.find(({ name }) => name === rule.step);
  const comesOf = own && reached(own.fills);
  const back = comesOf && reads.find((column) => comesOf.has(column));
  if (own && back !== undefined) found.push(circle([...at, "step"], back, own.name));
  return found;
}

/** A rule reads columns of the table, and those that steps and rules fill. */
function checkReads(
  plan: Plan,
  { rule, test, set, append }: ReadyAfterRule,
  document: SourceDocument,
  at: At,
  table: KnownTable,
): Complaint[] {
  const ruled = readyAfterRules(plan).flatMap((one) => (one.rule.in ? [] : one.set.map(({ column }) => column)));
  const back = readyAfterRules(plan).flatMap((one) => one.rule.append?.back ?? []);
  const known = [...new Set([...table.columns, ...Object.values(plan.steps).flatMap(columnsOf), ...ruled, ...back])];
  const missing = (columns: readonly string[], path: At): Complaint[] =>
    columns
      .filter((column) => !known.includes(column))
      .map((column) =>
        complain("unknownColumn", document.at(path), { name: column, table: table.name, known, near: nearest(column, known) }),
      );
  return [
    ...missing([...(test?.membersOf("row") ?? []), ...(test?.membersOf("before") ?? [])], [...at, "when"]),
    ...set.flatMap((value) => missing([...value.reads, ...value.readsBefore], [...at, "set", value.column])),
    ...append.flatMap((value) => missing([...value.reads, ...value.readsBefore], [...at, "append", "set", value.column])),
    ...Object.entries(rule.in?.match ?? {}).flatMap(([there, here]) => missing([here], [...at, "in", "match", there])),
    ...(rule.notify?.send ?? []).flatMap((column, index) => missing([column], [...at, "notify", "send", index])),
  ];
}
