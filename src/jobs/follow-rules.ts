import * as z from "zod";
import {
  absorbEdits,
  appendedRows,
  bringBack,
  bringsBack,
  canonicalJson,
  claim,
  columnsOf,
  deliverNotices,
  derivedTable,
  fill,
  followRules,
  forgetSettled,
  isYoroshiError,
  keepOtherWritten,
  noteRules,
  otherPlan,
  otherTables,
  otherWrittenAt,
  plainJson,
  settledSince,
  sha256Hex,
  sourceName,
  targetColumns,
  withOwnStep,
  withTypes,
  workOf,
  writeTable,
  YoroshiError,
  type FillEnd,
  type FillSetup,
  type Followed,
  type OtherTable,
} from "../core/index.js";
import type { Project } from "../project/index.js";
import { count } from "./schemas.js";
import { noticeSender } from "./send-notice.js";

const ruleFigures = z.object({
  rule: z.string(),
  /** Rows for which it set columns; rows of the other table that it appended or changed, and took off. */
  set: count,
  appended: count,
  takenOff: count,
  messages: count,
  /** Rows for which its step was done. */
  steps: count,
  /** Rows that wait until what it reads is settled. */
  waits: count,
  /** Rows for which it could not be decided, with the first few reasons. */
  unclear: count,
  problems: z.array(z.string()),
  keys: z.array(z.string()),
});

/** What the rules of a plan did after a fill. */
export const followedShape = z.object({
  rules: z.array(ruleFigures),
  /** Rows left for the next time by `limits.actions`. */
  postponed: count,
  /** Other tables that were written, or could not be. */
  tables: z.array(
    z.object({ table: z.string(), written: z.boolean(), rows: count, missing: z.array(z.string()), problem: z.string().optional() }),
  ),
  /** What people changed in appended rows: cells that it came back to, and those that were changed in both places. */
  back: z.object({
    brought: count,
    conflicts: z.array(
      z.object({
        rule: z.string(),
        table: z.string(),
        /** The row here, and the appended one. */
        key: z.string(),
        there: z.string(),
        column: z.string(),
        valueHere: z.string(),
        valueThere: z.string(),
      }),
    ),
  }),
  /** Messages: what was taken now, what waits, and why. */
  messages: z.object({
    sent: count,
    waiting: count,
    problems: z.array(z.object({ rule: z.string(), problem: z.string(), messages: count })),
  }),
});

export type FollowedRules = z.output<typeof followedShape>;

export interface FollowWay {
  readonly run: string;
  readonly fromStart?: boolean | undefined;
  readonly signal?: AbortSignal | undefined;
  /** Does the steps that rules ask for; left out, they wait for the next fill. */
  readonly doSteps?: (columns: readonly string[]) => Promise<{ readonly end: FillEnd; readonly isFailed: boolean }>;
}

const followedName = (plan: string): string => `followed:${plan}`;

/** Notes which rules a plan has, before it is filled. */
export const beginRules = ({ plan, ledger, clock }: FillSetup): Promise<void> =>
  plan.afterwards ? noteRules({ plan, ledger, clock }) : Promise.resolve();

/** Lets the rules of a plan act on what has changed, writes the other tables, does the steps and sends the messages. */
export async function followPlan(project: Project, setup: FillSetup, way: FollowWay): Promise<FollowedRules | undefined> {
  const { plan, ledger, clock } = setup;
  if (!plan.afterwards) return undefined;
  const letGo = await claim(ledger, clock, `rules:${plan.name}`);
  if (!letGo) throw new YoroshiError("planBusy", { plan: plan.name });
  try {
    const back = await bringAllBack(project, setup, way.run);
    const disputed = new Map<string, string[]>();
    for (const { key, column } of back.conflicts) disputed.set(key, [...(disputed.get(key) ?? []), column]);
    const followed = await followAll(setup, { ...way, disputed });
    const tables = await writeOthers(
      project,
      setup,
      way,
      followed.flatMap(({ others }) => others),
    );
    const messages = await deliverNotices({ plan, ledger, clock }, noticeSender(project, plan), { signal: way.signal });
    return { ...told(followed), tables, back, messages: { ...messages, problems: [...messages.problems] } };
  } finally {
    await letGo();
  }
}

/** What people changed in appended rows comes back, before the rules look at the rows. */
async function bringAllBack(project: Project, setup: FillSetup, run: string): Promise<FollowedRules["back"]> {
  const back: FollowedRules["back"] = { brought: 0, conflicts: [] };
  for (const other of otherTables(setup.plan).filter((one) => one.what === "append" && bringsBack(one))) {
    const table = sourceName(other.source);
    try {
      const made = appendedRows(setup.ledger, setup.plan, other);
      const out = await project.tables.table(other.source, { grows: true });
      const there = {
        ...setup,
        plan: withOwnStep(otherPlan(setup.plan, other), made),
        table: derivedTable(made, out),
        asking: {},
        related: undefined,
      };
      await absorbEdits(workOf(there), "afterwards");
    } catch (error) {
      // A table that cannot be read now is told when it is to be written.
      if (!isYoroshiError(error)) throw error;
      continue;
    }
    const { brought, conflicts } = await bringBack(setup, other, run);
    back.brought += brought;
    back.conflicts.push(...conflicts.map((conflict) => ({ table, ...conflict })));
  }
  if (back.brought > 0) {
    await forgetSettled(setup);
    await writeTable(workOf(setup), run, true);
  }
  return back;
}

/** Goes on with what rules left to do: other tables that could not be written, messages that wait. No row is looked at. */
export async function goOnWithRules(project: Project, setup: FillSetup, signal: AbortSignal | undefined): Promise<FollowedRules> {
  const { plan, ledger, clock } = setup;
  const letGo = await claim(ledger, clock, `rules:${plan.name}`);
  if (!letGo) throw new YoroshiError("planBusy", { plan: plan.name });
  try {
    const tables = await writeOthers(project, setup, { run: "afterwards" }, []);
    const messages = await deliverNotices({ plan, ledger, clock }, noticeSender(project, plan), { signal });
    return {
      rules: [],
      postponed: 0,
      tables,
      back: { brought: 0, conflicts: [] },
      messages: { ...messages, problems: [...messages.problems] },
    };
  } finally {
    await letGo();
  }
}

/** What the rules would do about the rows as they now stand; nothing is done. */
export async function previewRules(setup: FillSetup, fromStart: boolean): Promise<FollowedRules["rules"] | undefined> {
  if (!setup.plan.afterwards) return undefined;
  return told([await followRules(setup, { run: "preview", dryRun: true, fromStart })]).rules;
}

/** Rules, then the steps that they ask for, then the rules that read what these gave; until there is nothing more to do. */
async function followAll(
  setup: FillSetup,
  way: FollowWay & { readonly disputed: ReadonlyMap<string, readonly string[]> },
): Promise<Followed[]> {
  const { plan, ledger } = setup;
  const mark = await settledMark(setup);
  if (!way.fromStart && mark !== undefined && (await ledger.facts.get(followedName(plan.name))) === mark) return [];
  const passes: Followed[] = [];
  let left = plan.limits.actions;
  for (let pass = 0; pass <= plan.afterwards!.rules.length; pass++) {
    const followed = await followRules(setup, { run: way.run, fromStart: way.fromStart, actions: left, disputed: way.disputed });
    passes.push(followed);
    if (left !== undefined) left = Math.max(0, left - actionsOf(Object.values(followed.rules)));
    if (followed.steps.length === 0 || !way.doSteps) {
      if (followed.changesHere) await writeTable(workOf(setup), way.run, true);
      break;
    }
    const { end, isFailed } = await way.doSteps(followed.steps.flatMap((step) => columnsOf(plan.steps[step]!)));
    if (end !== "done" || isFailed) break;
  }
  const isWhole = passes.every(({ postponed }) => postponed === 0);
  await ledger.facts.set(followedName(plan.name), isWhole ? ((await settledMark(setup)) ?? null) : null);
  return passes;
}

/** What the rules have been done about, where nothing of the plan has changed since a fill that had nothing left to do. */
async function settledMark({ plan, ledger }: FillSetup): Promise<string | undefined> {
  const settled = await settledSince({ plan, ledger });
  return settled ? sha256Hex(canonicalJson([settled, plainJson(plan.afterwards!)])) : undefined;
}

/** What rules did, in all. */
export const actionsOf = (rules: readonly Readonly<Record<"set" | "appended" | "takenOff" | "messages" | "steps", number>>[]): number =>
  rules.reduce((sum, one) => sum + one.set + one.appended + one.takenOff + one.messages + one.steps, 0);

/** The figures of several passes, rule by rule. */
function told(passes: readonly Followed[]): Pick<FollowedRules, "rules" | "postponed"> {
  const rules = new Map<string, FollowedRules["rules"][number]>();
  for (const { rules: tallies } of passes)
    for (const [rule, tally] of Object.entries(tallies)) {
      const before = rules.get(rule);
      const sum = (figure: "set" | "appended" | "takenOff" | "messages" | "steps" | "unclear"): number =>
        (before?.[figure] ?? 0) + tally[figure];
      rules.set(rule, {
        rule,
        set: sum("set"),
        appended: sum("appended"),
        takenOff: sum("takenOff"),
        messages: sum("messages"),
        steps: sum("steps"),
        unclear: sum("unclear"),
        waits: tally.waits,
        problems: [...new Set([...(before?.problems ?? []), ...tally.problems])],
        keys: [...new Set([...(before?.keys ?? []), ...tally.keys])],
      });
    }
  return { rules: [...rules.values()], postponed: passes.at(-1)?.postponed ?? 0 };
}

/** Writes the other tables in which something has changed, and those that could not be written before. */
async function writeOthers(
  project: Project,
  setup: FillSetup,
  way: FollowWay,
  touched: readonly string[],
): Promise<FollowedRules["tables"]> {
  const { ledger, clock } = setup;
  const own = new Map(targetColumns(setup).map((column) => [column.name, column]));
  const tables: FollowedRules["tables"] = [];
  for (const plain of otherTables(setup.plan)) {
    const other = withTypes(plain, (column) => own.get(column));
    const isOpen = (await ledger.facts.get(openName(other.name))) === true;
    if (!touched.includes(other.name) && !isOpen) continue;
    // Until it is written: whatever happens in between, the next time goes on.
    await ledger.facts.set(openName(other.name), true);
    const table = sourceName(other.source);
    try {
      const written = other.what === "append" ? await writeList(project, setup, other) : await writeThere(project, setup, other, way.run);
      await ledger.facts.set(openName(other.name), null);
      await keepOtherWritten(ledger, other.name, clock.now());
      tables.push({ table, ...written });
    } catch (error) {
      if (!isYoroshiError(error)) throw error;
      tables.push({ table, written: false, rows: 0, missing: [], problem: error.message });
    }
  }
  return tables;
}

const openName = (name: string): string => `open:${name}`;

/** Rows that rules append: a table whose rows are made, like that of a plan made of another one's rows. */
async function writeList(
  project: Project,
  setup: FillSetup,
  other: OtherTable,
): Promise<{ written: boolean; rows: number; missing: string[] }> {
  const made = appendedRows(setup.ledger, setup.plan, other);
  const notices: string[] = [];
  const out = await project.tables.table(other.source, { grows: true });
  const table = derivedTable(made, out, { onNotice: (text) => void notices.push(text) });
  const plan = withOwnStep(otherPlan(setup.plan, other), made);
  const { rows, written } = await fill(
    { plan, table, asking: {}, ledger: setup.ledger, clock: setup.clock, sha256: setup.sha256, isChecked: true },
    { createColumns: true },
  );
  for (const text of notices) project.onNotice(text);
  return { written, rows, missing: [] };
}

/** Columns that rules set in rows that are there. */
async function writeThere(
  project: Project,
  setup: FillSetup,
  other: OtherTable,
  run: string,
): Promise<{ written: boolean; rows: number; missing: string[] }> {
  const plan = otherPlan(setup.plan, other);
  const table = await project.tables.table(other.source);
  const there = { ...setup, plan, table, asking: {}, related: undefined };
  await table.createColumns?.(other.columns);
  const { written } = await writeTable(workOf(there), run, true);
  const missing = await missingRows(there, table, await otherWrittenAt(setup.ledger, other.name));
  return { written, ...missing };
}

const MOST_MISSING = 5;

/** Rows that rules set values for since the table was last written, and those of them that it does not have. */
async function missingRows(
  { plan, ledger }: FillSetup,
  table: FillSetup["table"],
  since = 0,
): Promise<{ rows: number; missing: string[] }> {
  const keys = new Set(await ledger.cells.changedSince(plan.name, "afterwards", since));
  const rows = keys.size;
  for await (const chunk of table.read()) for (const { key } of chunk.rows) keys.delete(key);
  return { rows, missing: [...keys].slice(0, MOST_MISSING) };
}
