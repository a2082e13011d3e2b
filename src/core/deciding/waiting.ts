import { YoroshiError, type Remark } from "../ground/index.js";
import { askingOf, type FillSetup, type StepWork, type Work } from "../cells/index.js";
import type { CellRecord, DecisionRecord } from "../ledger/index.js";
import { readCondition, templateSteps } from "../plan/index.js";
import { earlierDecisions, judgedMark, verdictOf } from "../review/index.js";
import type { CellValue } from "../table/index.js";

/** A value of a row that waits for a decision. */
export interface WaitingValue {
  readonly column: string;
  readonly value: CellValue;
  /** The mark of what is judged; a decision names it, so that none is about another answer. */
  readonly judged: string;
  /** What stands in the table meanwhile. */
  readonly stands?: CellValue | undefined;
  /** A person's value that stands in the table meanwhile. */
  readonly edited?: string | undefined;
  /** What others said of this value already. */
  readonly said: readonly DecisionRecord[];
  /** They do not agree. */
  readonly isDisputed: boolean;
  /** What was decided about earlier answers to the row, newest first. */
  readonly earlier: readonly DecisionRecord[];
}

/** A row with values that wait. */
export interface WaitingRow {
  readonly step: string;
  readonly key: string;
  readonly place: string;
  /** The row as it was asked about. */
  readonly row: Readonly<Record<string, string>>;
  readonly values: readonly WaitingValue[];
  /** What the answer gave besides, which is not held. */
  readonly besides: Readonly<Record<string, CellValue>>;
  readonly rules: readonly string[];
  readonly since: number;
  readonly notes: readonly Remark[];
  readonly version?: number | undefined;
  readonly model?: string | undefined;
  /** A short hash that rows share whose held values say the same. */
  readonly like: string;
  /** How many rows of the step wait with values that say the same, this one counted. */
  readonly alike: number;
}

/** Which rows are wanted. */
export interface WaitingChoice {
  /** Only what this step gave. */
  readonly step?: string | undefined;
  /** Only what this rule holds. */
  readonly rule?: string | undefined;
  /** Only rows for which this CEL over `row` holds: the row as it was asked about, with the values that wait. */
  readonly where?: string | undefined;
  /** Only rows that say the same as one. */
  readonly like?: string | undefined;
  /** Begins behind this row. */
  readonly after?: { readonly step: string; readonly key: string } | undefined;
  /** Leaves out what this person has decided already, as long as others must still agree. */
  readonly notBy?: string | undefined;
  /** Most rows. Default 20. */
  readonly limit?: number | undefined;
}

/** The rule by which whole columns wait for a random check; a person does not go through them one by one. */
const RELEASE = "release";
const PAGE = 50;
const MOST_ROWS = 20;

/**
 * Rows with values that wait for a person's decision, by step and key. Reads the ledger alone, so that it takes no longer however many
 * there are.
 */
export async function waitingRows(setup: FillSetup, choice: WaitingChoice = {}): Promise<WaitingRow[]> {
  const limit = choice.limit ?? MOST_ROWS;
  const fits = fitOf(choice);
  const found: WaitingRow[] = [];
  const steps = stepsOf(setup, choice.step);
  for (const step of steps.slice(Math.max(0, steps.indexOf(choice.after?.step ?? "")))) {
    let after = choice.after?.step === step ? choice.after.key : undefined;
    for (;;) {
      const records = await setup.ledger.cells.held(setup.plan.name, step, {
        after,
        like: choice.rule === RELEASE ? "" : choice.like,
        limit: PAGE,
      });
      for (const record of records) {
        if (!fits(record)) continue;
        const row = await waitingRow(setup, record);
        if (row.values.length === 0 || (choice.notBy !== undefined && row.values.every((one) => hasSaid(one, choice.notBy!)))) continue;
        found.push(row);
        if (found.length >= limit) return found;
      }
      if (records.length < PAGE) break;
      after = records.at(-1)!.key;
    }
  }
  return found;
}

const hasSaid = ({ said, isDisputed }: WaitingValue, by: string): boolean => !isDisputed && said.some((one) => one.by === by);

/** A row's values that wait, by step and key; `undefined` where none do. */
export async function waitingRowOf(setup: FillSetup, step: string, key: string): Promise<WaitingRow | undefined> {
  const record = (await setup.ledger.cells.find(setup.plan.name, step, [key])).get(key);
  return record?.held && record.again?.on !== record.fingerprint ? waitingRow(setup, record) : undefined;
}

/** How many rows wait, by step: for a person, and for a random check alone. */
export async function countWaiting(setup: FillSetup): Promise<Record<string, { readonly person: number; readonly check: number }>> {
  const counts: Record<string, { person: number; check: number }> = {};
  const { cells } = setup.ledger;
  for (const step of stepsOf(setup))
    counts[step] = { person: await cells.countHeld(setup.plan.name, step), check: await cells.countHeld(setup.plan.name, step, "") };
  return counts;
}

/** The steps whose values can be held. @throws YoroshiError `badOption`. */
export function stepsOf({ plan }: Pick<FillSetup, "plan">, only?: string): string[] {
  const all = templateSteps(plan).map(({ name }) => name);
  if (only !== undefined && !all.includes(only))
    throw new YoroshiError("badOption", {
      option: "step",
      problem: `the plan ${plan.name} has no template step \`${only}\`. Steps: ${all.join(", ")}.`,
    });
  return only === undefined ? all : [only];
}

function fitOf({ rule, where }: WaitingChoice): (record: CellRecord) => boolean {
  const { condition, problem } = where === undefined ? {} : readCondition(where);
  if (problem) throw new YoroshiError("badOption", { option: "where", problem: `\`${where}\` cannot be read as CEL: ${problem}.` });
  return ({ held, again, fingerprint }) => {
    // It waits for the model.
    if (again?.on === fingerprint) return false;
    if (rule !== undefined && !(rule in held!.by)) return false;
    return !condition || condition.test({ ...held!.row, ...held!.values }) === true;
  };
}

async function waitingRow({ plan, ledger }: FillSetup, record: CellRecord): Promise<WaitingRow> {
  const held = record.held!;
  const decisions = await ledger.decisions.of(plan.name, record.step, record.key);
  const ofColumn = (column: string): DecisionRecord[] => decisions.filter((one) => one.column === column);
  const rules = Object.keys(held.by);
  const named = rules.filter((rule) => rule !== RELEASE);
  const columns = (named.length > 0 ? named : rules).flatMap((rule) => held.by[rule]!);
  const values = Object.entries(held.values)
    .filter(([column]) => columns.includes(column))
    .map(([column, value]): WaitingValue => {
      const judged = judgedMark(record.fingerprint ?? "", column, value);
      const verdict = verdictOf(ofColumn(column), judged, plan.review?.people ?? 1);
      return {
        column,
        value,
        judged,
        stands: record.values[column],
        edited: record.edited?.[column],
        said: verdict.is === "decided" ? [] : verdict.said,
        isDisputed: verdict.is === "disputed",
        earlier: earlierDecisions(ofColumn(column), judged),
      };
    });
  const besides = Object.fromEntries(Object.entries(record.values).filter(([column]) => !(column in held.values)));
  return {
    step: record.step,
    key: record.key,
    place: held.place,
    row: held.row,
    values,
    besides,
    rules,
    since: held.since,
    notes: record.notes ?? [],
    version: held.version,
    model: held.model,
    like: held.like,
    alike: await ledger.cells.countHeld(plan.name, record.step, held.like),
  };
}

/** A step of the work that asks a template. @throws YoroshiError `badOption`. */
export function askingStep(work: Work, name: string): StepWork {
  stepsOf(work, name);
  askingOf(work, name);
  return work.steps.find((one) => one.name === name)!;
}
