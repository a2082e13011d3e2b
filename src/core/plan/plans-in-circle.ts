import { inDatabase } from "../ground/index.js";
import type { Template } from "../template/index.js";
import { readyAfterRules, tableMark } from "./after-rules.js";
import { columnsRead } from "./order.js";
import { columnsOf, isTemplateStep, type Plan } from "./plan.js";

/** A plan with the templates of its steps, by the steps' names. */
export interface PlanRead {
  readonly plan: Plan;
  readonly templates: Readonly<Record<string, Template | undefined>>;
}

/** One plan changes a column that the next one reads. */
export interface CircleLink {
  readonly plan: string;
  /** The column that it changes, and of which table. */
  readonly column: string;
  readonly table: string;
}

interface Change extends CircleLink {
  readonly mark: string;
  readonly byRule: boolean;
}

/** What a plan changes in tables that other plans read: by its rules anywhere, by its steps in a database. */
function changesOf({ plan }: PlanRead): Change[] {
  const own = inDatabase(plan.table) ? tableMark(plan.table) : undefined;
  const change = (mark: string, byRule: boolean, columns: readonly string[]): Change[] =>
    columns.map((column) => ({ plan: plan.name, column, table: mark, mark, byRule }));
  return [
    ...(own === undefined ? [] : Object.values(plan.steps).flatMap((step) => change(own, false, columnsOf(step)))),
    ...readyAfterRules(plan).flatMap(({ rule, set, append }) => [
      ...(rule.in
        ? change(
            tableMark(rule.in.table),
            true,
            set.map(({ column }) => column),
          )
        : []),
      ...(!rule.in && own !== undefined
        ? change(
            own,
            true,
            set.map(({ column }) => column),
          )
        : []),
      ...(rule.append
        ? change(
            tableMark(rule.append.table),
            true,
            append.map(({ column }) => column),
          )
        : []),
    ]),
  ];
}

/** The columns of a table that a plan's steps and rules read. */
function readsOf({ plan, templates }: PlanRead, mark: string): ReadonlySet<string> {
  if (tableMark(plan.table) !== mark) return new Set();
  const steps = Object.entries(plan.steps).flatMap(([name, step]) => columnsRead(step, isTemplateStep(step) ? templates[name] : undefined));
  return new Set([...steps, ...readyAfterRules(plan).flatMap(({ reads }) => reads)]);
}

/**
 * The circle that a plan stands in: it changes what another reads, which changes what the next reads, until it comes back; `undefined` where
 * there is none. Only circles in which a rule has a part: steps alone fill their columns once and rest.
 */
export function planCircle(name: string, plans: readonly PlanRead[]): readonly CircleLink[] | undefined {
  const changes = new Map(plans.map((one) => [one.plan.name, changesOf(one)]));
  const next = (from: string): { readonly to: string; readonly change: Change }[] =>
    (changes.get(from) ?? []).flatMap((change) =>
      plans
        .filter((other) => other.plan.name !== from && readsOf(other, change.mark).has(change.column))
        .map((other) => ({ to: other.plan.name, change })),
    );
  const follow = (at: string, path: readonly Change[], seen: ReadonlySet<string>): readonly Change[] | undefined => {
    for (const { to, change } of next(at)) {
      const now = [...path, change];
      if (to === name && now.some(({ byRule }) => byRule)) return now;
      const found = seen.has(to) ? undefined : follow(to, now, new Set([...seen, to]));
      if (found) return found;
    }
    return undefined;
  };
  return follow(name, [], new Set([name]))?.map(({ plan, column, table }) => ({ plan, column, table }));
}
