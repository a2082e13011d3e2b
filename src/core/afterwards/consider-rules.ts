import { canonicalJson } from "../ground/index.js";
import type { AfterRecord, RuleState } from "../ledger/index.js";
import type { ReadyAfterRule, RuleValue } from "../plan/index.js";
import type { CellValue } from "../table/index.js";

/** A row as rules see it. */
export interface RuledRow {
  readonly key: string;
  /** Columns with what stands in them, typed as conditions see it. */
  readonly values: Readonly<Record<string, unknown>>;
  /** Columns whose values are not settled: asked for, out of date, held, failed. */
  readonly open: ReadonlySet<string>;
  /** Columns in which a person's value stands, which no rule writes over. */
  readonly kept: ReadonlySet<string>;
  /** When its cells were last recorded, milliseconds since 1970. */
  readonly at: number;
}

/** When rules acquire causes. */
export interface RuleTimes {
  /** When each rule was first seen, milliseconds since 1970: rows that were recorded before are no causes for it. */
  readonly since: Readonly<Record<string, number>>;
  /** Rows that a rule has never considered are causes, however old they are. */
  readonly fromStart: boolean;
}

/** What one rule does about a row now. */
export interface RuleAct {
  readonly rule: ReadyAfterRule;
  readonly holds: boolean;
  /** Whether it held before. */
  readonly held: boolean;
  /** Values for columns of the plan's table, or of the one that the rule names. */
  readonly set?: Readonly<Record<string, CellValue>> | undefined;
  /** The row that it appends. */
  readonly gives?: Readonly<Record<string, CellValue>> | undefined;
  /** The columns of a message. */
  readonly send?: Readonly<Record<string, CellValue>> | undefined;
  /** Why it could not be decided. */
  readonly problem?: string | undefined;
}

/** What the rules of a plan make of a row. */
export interface RuledOutcome {
  /** What they did; empty where there was no cause. */
  readonly acts: readonly RuleAct[];
  /** What is to be kept of the row; `undefined` where that stands already. */
  readonly rules: AfterRecord["rules"] | undefined;
  /** Rules that wait until what they read is settled. */
  readonly waits: readonly string[];
}

/**
 * Considers the rules of a plan for one row, in their order. A rule acts on a cause: a column that decides it has changed since it last saw
 * the row, or the row is new to it. What earlier rules set, later ones see; what rules set themselves is no cause.
 */
export function considerRules(
  rules: readonly ReadyAfterRule[],
  isFirstOnly: boolean,
  row: RuledRow,
  known: AfterRecord["rules"] | undefined,
  times: RuleTimes,
): RuledOutcome {
  const waits = new Set<string>();
  for (const rule of rules) {
    // Where the first that holds counts, what comes after one that waits cannot be known.
    if ((isFirstOnly && waits.size > 0) || rule.reads.some((column) => row.open.has(column))) waits.add(rule.id);
  }
  const ready = rules.filter(({ id }) => !waits.has(id));
  const causes = new Set(ready.filter((rule) => isCause(rule, row, known?.[rule.id], times)).map(({ id }) => id));
  const considered = isFirstOnly && causes.size > 0 ? ready : ready.filter(({ id }) => causes.has(id));
  const values: Record<string, unknown> = { ...row.values };
  const acts: RuleAct[] = [];
  let isTaken = false;
  for (const rule of considered) {
    const before = known?.[rule.id];
    const verdict: Verdict = isFirstOnly && isTaken ? { holds: false } : held(rule, values, before);
    isTaken ||= verdict.holds;
    // Where only the first counts, one whose own columns have not changed acts when it has become the first.
    const isNews = causes.has(rule.id) || verdict.holds !== (before?.holds ?? false);
    const act: RuleAct = isNews
      ? actOf(rule, verdict, values, before, row.kept)
      : { rule, holds: verdict.holds, held: before?.holds ?? false };
    if (act.set && !rule.rule.in) Object.assign(values, act.set);
    acts.push(act);
  }
  return { acts: acts.filter(isDoing), rules: keptOf(ready, acts, values, known), waits: [...waits] };
}

/** Whether a rule does something about the row now, or cannot. */
const isDoing = ({ rule, holds, held: before, set, gives, send, problem }: RuleAct): boolean =>
  problem !== undefined || set !== undefined || send !== undefined || gives !== undefined || (holds !== before && isState(rule));

/** Whether what a rule does stands as long as it holds. */
const isState = ({ rule }: ReadyAfterRule): boolean => rule.append !== undefined || rule.step !== undefined;

function isCause(rule: ReadyAfterRule, row: RuledRow, before: RuleState | undefined, { since, fromStart }: RuleTimes): boolean {
  if (!before) return fromStart || row.at >= (since[rule.id] ?? 0);
  return before.gone === true || rule.causes.some((column) => column in before.seen && cellOf(row.values[column]) !== before.seen[column]);
}

/** Whether a rule holds; and why that could not be told. */
interface Verdict {
  readonly holds: boolean;
  readonly problem?: string | undefined;
}

function held(rule: ReadyAfterRule, row: Readonly<Record<string, unknown>>, before: RuleState | undefined): Verdict {
  if (!rule.test) return { holds: true };
  const result = rule.test.test({ row, before: beforeOf(rule, before) });
  if (typeof result === "boolean") return { holds: result };
  // What is blank has no size: the rule does not hold, and that is no mistake.
  const isBlank = rule.test.membersOf("row").some((column) => row[column] === "" || row[column] === undefined);
  const isNew = rule.test.membersOf("before").length > 0 && !before;
  return isBlank || isNew ? { holds: false } : { holds: false, problem: result.reason };
}

/** The row as the rule last saw it; blank where it never did. */
const beforeOf = ({ reads }: ReadyAfterRule, before: RuleState | undefined): Record<string, unknown> =>
  Object.fromEntries(reads.map((column) => [column, before?.seen[column] ?? ""]));

function actOf(
  rule: ReadyAfterRule,
  verdict: Verdict,
  row: Readonly<Record<string, unknown>>,
  before: RuleState | undefined,
  kept: ReadonlySet<string>,
): RuleAct {
  const act = { rule, holds: verdict.holds, held: before?.holds ?? false };
  if (!verdict.holds) return { ...act, problem: verdict.problem };
  const then = beforeOf(rule, before);
  const problems: string[] = [];
  const made = (values: readonly RuleValue[]): Record<string, CellValue> | undefined => {
    if (values.length === 0) return undefined;
    const given: Record<string, CellValue> = {};
    for (const value of values) {
      const result = value.value(row, then);
      if ("reason" in result) problems.push(result.reason);
      else given[value.column] = result.value;
    }
    return given;
  };
  const set = made(rule.set.filter(({ column }) => rule.rule.in !== undefined || !kept.has(column)));
  const gives = made(rule.append);
  const send = rule.rule.notify && Object.fromEntries(rule.rule.notify.send.map((column) => [column, cellOf(row[column])]));
  if (problems.length > 0) return { ...act, holds: false, problem: problems[0] };
  return { ...act, ...(set && Object.keys(set).length > 0 ? { set } : {}), ...(gives ? { gives } : {}), ...(send ? { send } : {}) };
}

/** What is kept of the row: what each rule saw, with what the rules after it have set. */
function keptOf(
  ready: readonly ReadyAfterRule[],
  acts: readonly RuleAct[],
  values: Readonly<Record<string, unknown>>,
  known: AfterRecord["rules"] | undefined,
): AfterRecord["rules"] | undefined {
  const rules: Record<string, RuleState> = { ...known };
  let isChanged = false;
  for (const rule of ready) {
    const before = known?.[rule.id];
    const act = acts.find((one) => one.rule === rule);
    const seen = Object.fromEntries(rule.reads.map((column) => [column, cellOf(values[column])]));
    const gives = act ? (act.holds ? (act.gives ?? before?.gives) : undefined) : before?.gives;
    const isOther = before?.gives !== undefined && canonicalJson(before.gives) !== canonicalJson(gives ?? {});
    const gave = isOther ? before!.gives : before?.gave;
    const holds = act ? act.holds : (before?.holds ?? false);
    const now: RuleState = { seen, holds, ...(gives ? { gives } : {}), ...(gave ? { gave } : {}) };
    // What a rule only carries may change without being a cause; it is not written anew for that.
    if (before && !act && rule.reads.every((column) => before.seen[column] === seen[column])) continue;
    rules[rule.id] = now;
    isChanged = true;
  }
  return isChanged ? rules : undefined;
}

/** A value as a rule keeps it. */
function cellOf(value: unknown): CellValue {
  if (typeof value === "string" || typeof value === "number" || typeof value === "boolean") return value;
  return value === undefined || value === null ? "" : JSON.stringify(value);
}
