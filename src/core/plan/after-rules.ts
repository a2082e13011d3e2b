import { inDatabase, readTest, sourceName, type SourceDocument, type TableSource, type Test } from "../ground/index.js";
import type { TargetColumn } from "../table/index.js";
import { AFTER_STEP, writerOf, type AfterRule, type Plan } from "./plan.js";
import { readRuleValue, type RuleValue } from "./set-column.js";

/** A rule of `afterwards`, ready to be tested on many rows. */
export interface ReadyAfterRule {
  /** What the ledger and messages call it: it stays when the rule's condition changes. */
  readonly id: string;
  readonly rule: AfterRule;
  /** `undefined` for one that always holds. */
  readonly test: Test | undefined;
  /** The columns that decide whether it acts: a change of one of them is a cause. */
  readonly causes: readonly string[];
  /** All columns that it reads of a row. */
  readonly reads: readonly string[];
  readonly set: readonly RuleValue[];
  readonly append: readonly RuleValue[];
  /** What is done where no rule holds. */
  readonly isOtherwise: boolean;
}

/** Where the rule's conditions and values stand in the plan, for complaints. */
export type AfterPath = readonly (string | number)[];

/** Every rule of a plan with its place in the file. */
export function afterRules({ afterwards }: Pick<Plan, "afterwards">): { readonly rule: AfterRule; readonly path: AfterPath }[] {
  if (!afterwards) return [];
  // Written as a list or with `first`; a list has no key `rules`.
  return [
    ...afterwards.rules.map((rule, index) => ({ rule, path: ["rules", index] })),
    ...(afterwards.otherwise ? [{ rule: afterwards.otherwise, path: ["otherwise"] }] : []),
  ];
}

/** What a rule does and where, in few words. */
function deed({ set, in: other, append, notify, step }: AfterRule): string {
  if (append) return `append to ${sourceName(append.table)}`;
  if (notify) return `notify ${typeof notify.url === "string" ? hostOf(notify.url) : notify.url.env}`;
  if (step !== undefined) return `step ${step}`;
  return `set ${Object.keys(set ?? {}).join(", ")}${other ? ` in ${sourceName(other.table)}` : ""}`;
}

/** Without the engine of a browser or of Node: what stands between the slashes. */
const hostOf = (address: string): string => /^[a-z]+:\/\/([^/?#]+)/i.exec(address)?.[1] ?? address;

/** The rules of a plan, each under a name of its own. */
export function readyAfterRules(plan: Pick<Plan, "afterwards">): ReadyAfterRule[] {
  const seen = new Map<string, number>();
  return afterRules(plan).map(({ rule, path }) => {
    const name = rule.name ?? deed(rule);
    const count = (seen.get(name) ?? 0) + 1;
    seen.set(name, count);
    const test = rule.when === undefined ? undefined : readTest(rule.when, ["row", "before"]).test;
    const set = Object.entries(rule.set ?? {}).map(([column, source]) => readRuleValue(column, source).given!);
    // What may come back goes there, too.
    const both = Object.fromEntries((rule.append?.back ?? []).map((column) => [column, wholeColumn(column)]));
    const append = Object.entries({ ...both, ...rule.append?.set }).map(([column, source]) => readRuleValue(column, source).given!);
    const values = [...set, ...append].flatMap((value) => [...value.reads, ...value.readsBefore]);
    const matched = Object.values(rule.in?.match ?? {});
    const tested = test ? [...test.membersOf("row"), ...test.membersOf("before")] : [];
    const sent = rule.notify?.send ?? [];
    // A message tells that the condition has begun to hold, not that what it carries has changed; without one, it tells of what it carries.
    const causes = [...tested, ...values, ...matched, ...(test ? [] : sent)];
    return {
      id: count === 1 ? name : `${name} ${count}`,
      rule,
      test,
      causes: [...new Set(causes)],
      reads: [...new Set([...causes, ...sent])],
      set,
      append,
      isOtherwise: path[0] === "otherwise",
    };
  });
}

const wholeColumn = (column: string): string => (/^[A-Za-z_]\w*$/.test(column) ? `row.${column}` : `row[${JSON.stringify(column)}]`);

/** The columns of the plan's own table that rules set. */
export function ruledColumns(plan: Pick<Plan, "afterwards">): TargetColumn[] {
  const columns = new Map<string, TargetColumn>();
  for (const { rule, set } of readyAfterRules(plan)) {
    if (!rule.in) for (const { column, type, freeText } of set) columns.set(column, { name: column, type, freeText });
    // What is changed in an appended row comes back as text.
    for (const column of rule.append?.back ?? [])
      if (!columns.has(column)) columns.set(column, { name: column, type: "text", freeText: true });
  }
  return [...columns.values()];
}

/** The steps that are done only where a rule says so: step -> the rules' names. */
export function stepsByRule(plan: Pick<Plan, "afterwards">): Map<string, string[]> {
  const steps = new Map<string, string[]>();
  for (const { id, rule } of readyAfterRules(plan))
    if (rule.step !== undefined) steps.set(rule.step, [...(steps.get(rule.step) ?? []), id]);
  return steps;
}

/** The plan with the step that stands for the columns that its rules set, so that these are filled columns like any others. */
export function withAfterStep(plan: Plan): Plan {
  const columns = ruledColumns(plan).filter(({ name }) => writerOf(plan, name) === undefined);
  if (columns.length === 0) return plan;
  return { ...plan, steps: { ...plan.steps, [AFTER_STEP]: { set: Object.fromEntries(columns.map((ruled) => [ruled.name, { ruled }])) } } };
}

/** What tells whether two sources are one table. */
export const sameTable = (a: TableSource, b: TableSource): boolean => tableMark(a) === tableMark(b);

/** What stands for a table, however a plan names it. */
export const tableMark = (source: TableSource): string =>
  inDatabase(source) ? `${source.database}.${source.table ?? source.into ?? ""}` : sourceName(source);

/** Where a rule stands in a file, which may say a bare list. */
export const afterPlace = (document: SourceDocument, path: AfterPath): AfterPath =>
  Array.isArray((document.value as { afterwards?: unknown } | null)?.afterwards)
    ? ["afterwards", ...path.slice(1)]
    : ["afterwards", ...path];
