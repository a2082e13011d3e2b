import { sha256Hex, YoroshiError } from "../ground/index.js";
import { shownRow, walk, type FillSetup, type Passing, type StepWork, type Work } from "../cells/index.js";
import type { CellRecord, CheckedRow, CheckRecord, DecisionRecord } from "../ledger/index.js";
import { askingOf } from "../cells/index.js";
import { judgedMark } from "../review/index.js";
import { decidingWork, newAct } from "./decide-row.js";
import { askingStep, stepsOf } from "./waiting.js";

export interface CheckOptions {
  /** Default: the plan's only template step, or its first. */
  readonly step?: string | undefined;
  /** How many rows are drawn. Default: the plan's `spotCheck`, else 40. */
  readonly rows?: number | undefined;
  readonly seed?: number | undefined;
  readonly by: string;
}

const DEFAULT_ROWS = 40;
/** Rows beyond those that were asked for, so that a check can go on where more are needed. */
const SPARE = 400;
/** A column with more values than this is not told apart by them. */
const MOST_VALUES = 60;

/** A cell that may be drawn. */
interface Candidate {
  readonly rank: string;
  readonly passed: Passing;
  readonly record: CellRecord;
}

/**
 * Draws rows at random from all whose cells stand as one version of the template and one model answered them, and about which no person has
 * decided: the same seed draws the same rows. Those that come later are a population of their own, and so are answers of another version.
 *
 * @throws YoroshiError `nothingToCheck`.
 */
export async function drawCheck(setup: FillSetup, options: CheckOptions): Promise<CheckRecord> {
  const work = await decidingWork(setup);
  const one = askingStep(work, options.step ?? stepsOf(setup)[0] ?? "");
  const { prepared, version, model } = askingOf(setup, one.name);
  const { spotCheck } = work.plan.review ?? {};
  const rows = options.rows ?? spotCheck?.rows ?? DEFAULT_ROWS;
  const seed = options.seed ?? spotCheck?.seed ?? 1;
  const columns = one.targets.map(({ name }) => name);
  const population = new Population(one, columns, spotCheck?.slices ?? []);
  let drawn: Candidate[] = [];
  const most = rows + SPARE;
  const keepFirst = (): void => {
    drawn.sort((a, b) => (a.rank < b.rank ? -1 : 1));
    drawn = drawn.slice(0, most);
  };
  for await (const { rows: passing } of walk(work)) {
    for (const { passed, record } of await answeredRows(work, one, passing, version, model.id)) {
      population.add(passed, record);
      drawn.push({ rank: `${(work.sha256 ?? sha256Hex)(`check ${seed} ${record.key}`)} ${record.key}`, passed, record });
    }
    if (drawn.length > 2 * most + 1_000) keepFirst();
  }
  keepFirst();
  if (drawn.length === 0) throw new YoroshiError("nothingToCheck", { plan: work.plan.name, step: one.name, version, model: model.id });
  const check: CheckRecord = {
    id: newAct(work.clock),
    plan: work.plan.name,
    step: one.name,
    template: prepared.template.name,
    version,
    model: model.id,
    seed,
    at: work.clock.now(),
    by: options.by,
    columns,
    population: population.rows,
    values: population.values,
    slices: population.slices,
    rows: drawn.map(({ passed, record }) => checkedRow(one, passed, record, columns, spotCheck?.slices ?? [])),
  };
  await work.ledger.decisions.addCheck(check);
  return check;
}

/** The rows whose cells stand, or wait for this very check, as a version and a model answered them; no person has had a say in them. */
async function answeredRows(
  work: Work,
  one: StepWork,
  rows: readonly Passing[],
  version: number,
  model: string,
): Promise<{ readonly passed: Passing; readonly record: CellRecord }[]> {
  const records = await work.ledger.cells.find(
    work.plan.name,
    one.name,
    rows.map(({ row }) => row.key),
  );
  const open = rows.flatMap((passed) => {
    const record = records.get(passed.row.key);
    const isOpen =
      record?.fingerprint !== undefined &&
      !record.edited &&
      !record.decided &&
      (record.held ? Object.keys(record.held.by).every((rule) => rule === "release") : record.state === "filled");
    return isOpen ? [{ passed, record }] : [];
  });
  const answers = await work.ledger.answers.find(open.map(({ record }) => record.fingerprint!));
  return open.filter((_, index) => answers[index]?.version === version && answers[index]?.model === model);
}

/** What is drawn from, counted by what it says. */
class Population {
  rows = 0;
  readonly values: Record<string, Record<string, number>> = {};
  readonly slices: Record<string, Record<string, number>> = {};

  constructor(one: StepWork, columns: readonly string[], slices: readonly string[]) {
    for (const { name, freeText } of one.targets) if (columns.includes(name) && !freeText) this.values[name] = {};
    for (const column of slices) this.slices[column] = {};
  }

  add({ row, given }: Passing, { held, values }: CellRecord): void {
    this.rows++;
    for (const column of Object.keys(this.values)) count(this.values, column, String(held?.values[column] ?? values[column] ?? ""));
    for (const column of Object.keys(this.slices)) count(this.slices, column, String(given[column] ?? row.values[column] ?? ""));
  }
}

function count(counts: Record<string, Record<string, number>>, column: string, value: string): void {
  const own = counts[column]!;
  own[value] = (own[value] ?? 0) + 1;
  if (Object.keys(own).length > MOST_VALUES) delete counts[column];
}

function checkedRow(
  one: StepWork,
  passed: Passing,
  { key, fingerprint, values, held }: CellRecord,
  columns: readonly string[],
  slices: readonly string[],
): CheckedRow {
  const all = { ...values, ...held?.values };
  return {
    key,
    place: passed.row.place,
    fingerprint: fingerprint!,
    values: Object.fromEntries(columns.flatMap((column) => (all[column] === undefined ? [] : [[column, all[column]]]))),
    row: shownRow(one, passed),
    ...(slices.length > 0
      ? { slices: Object.fromEntries(slices.map((column) => [column, String(passed.given[column] ?? passed.row.values[column] ?? "")])) }
      : {}),
  };
}

/** The newest check of a step as it is asked now; `undefined` where none was drawn yet. */
export async function currentCheck(setup: FillSetup, step: string): Promise<CheckRecord | undefined> {
  const { version, model } = askingOf(setup, step);
  return (await setup.ledger.decisions.checks(setup.plan.name)).find(
    (one) => one.step === step && one.version === version && one.model === model.id,
  );
}

/** What was decided in a check about a row's column: the newest word that was not taken back. */
export async function checkDecisions({ plan, ledger }: FillSetup, check: CheckRecord): Promise<Map<string, DecisionRecord>> {
  const found = new Map<string, DecisionRecord>();
  for await (const some of ledger.decisions.all(plan.name))
    for (const one of some)
      if (one.check === check.id && !one.undone && one.how !== "askAgain") found.set(JSON.stringify([one.key, one.column]), one);
  return found;
}

/** A row that is to be checked. */
export interface ToCheck {
  readonly row: CheckedRow;
  /** Its columns that have not been judged yet, each with the mark of what was drawn: a cell is judged once, and as it was drawn. */
  readonly columns: Readonly<Record<string, string>>;
}

/**
 * The rows of a check that are still to be judged, in the order of the draw; those whose answers have moved on are left out and counted.
 *
 * @param most how many rows of the draw count; more of the spare ones where a release needs them.
 */
export async function rowsToCheck(
  setup: FillSetup,
  check: CheckRecord,
  most: number,
): Promise<{ readonly open: ToCheck[]; readonly judged: number; readonly movedOn: number }> {
  const decided = await checkDecisions(setup, check);
  const records = await setup.ledger.cells.find(
    setup.plan.name,
    check.step,
    check.rows.map(({ key }) => key),
  );
  const open: ToCheck[] = [];
  let [judged, movedOn] = [0, 0];
  for (const row of check.rows) {
    if (judged + open.length >= most) break;
    const columns = check.columns.filter((column) => row.values[column] !== undefined && !decided.has(JSON.stringify([row.key, column])));
    if (columns.length === 0) judged++;
    else if (records.get(row.key)?.fingerprint !== row.fingerprint) movedOn++;
    else
      open.push({
        row,
        columns: Object.fromEntries(columns.map((column) => [column, judgedMark(row.fingerprint, column, row.values[column])])),
      });
  }
  return { open, judged, movedOn };
}
