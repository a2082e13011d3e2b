import { canonicalJson, patternsReady, remark, type Remark } from "../ground/index.js";
import type { CellRecord } from "../ledger/index.js";
import { type Condition, inputColumns, isTemplateStep, templateSteps } from "../plan/index.js";
import { readReleases } from "../review/index.js";
import { textRow, type FoundRows, type Row } from "../table/index.js";
import { findAll, hasSources, readInputs, type Finds, type NamedSource } from "../template/index.js";
import { changedPieces } from "./changes.js";
import { decide, type Decision, type Needs } from "./decide.js";
import { absorbEdits } from "./edits.js";
import { handOn, inputsFor, passing, type Passing, type RelatedRows } from "./passing.js";
import { askingOf, workOf, type AskWork, type FillSetup, type StepWork, type Work } from "./setup.js";

/** Walks over the table in chunks of the rows that are chosen, each with what belongs to it. */
export async function* walk(work: Work): AsyncGenerator<{ readonly rows: readonly Passing[]; readonly share: number }> {
  for await (const { rows: given, share } of work.table.read()) {
    const rows = given.map(textRow);
    const named = work.only ? rows.filter((row) => work.only!.has(row.key)) : rows;
    const chosen = work.where ? await rowsWhere(work, work.where, named) : named;
    const related = await relatedRows(work, chosen);
    const passed = chosen.map((row, index) => passing(row, related[index]!));
    if (work.freeze) await markFrozen(work, work.freeze, passed);
    if (work.steps.some(({ dueBy }) => dueBy)) await markDue(work, passed);
    yield { rows: passed, share };
  }
}

/** Marks which rules hold for rows, as they were last considered. */
async function markDue({ ledger, plan }: Work, rows: readonly Passing[]): Promise<void> {
  const states = await ledger.afterwards.find(
    plan.name,
    rows.map(({ row }) => row.key),
  );
  for (const passed of rows) {
    const state = states.get(passed.row.key);
    if (state) passed.due = Object.keys(state.rules).filter((rule) => state.rules[rule]!.holds);
  }
}

/** Marks the rows that no step touches, by what stands in them before the run. */
async function markFrozen(work: Work, freeze: Condition, rows: readonly Passing[]): Promise<void> {
  const asTheyStand = await standingRows(
    work,
    freeze,
    rows.map(({ row }) => row),
  );
  for (const [index, values] of asTheyStand.entries()) rows[index]!.isFrozen = freeze.test(values) === true;
}

/** The rows for which a condition holds; of columns that the plan fills, what the ledger knows of them counts. */
async function rowsWhere(work: Work, where: Condition, rows: readonly Row[]): Promise<Row[]> {
  const values = await standingRows(work, where, rows);
  return rows.filter((_row, index) => where.test(values[index]!) === true);
}

/** Rows as a condition sees them; of columns that the plan fills, what the ledger knows of them counts. */
async function standingRows(work: Work, where: Condition, rows: readonly Row[]): Promise<Readonly<Record<string, unknown>>[]> {
  const related = where.columns.some((column) => work.related?.[column]) ? await relatedRows(work, rows) : [];
  const all = rows.map((row, index) => passing(row, related[index] ?? {}));
  for (const one of work.steps.filter(({ targets }) => targets.some(({ name }) => where.columns.includes(name)))) {
    const records = await work.ledger.cells.find(
      work.plan.name,
      one.name,
      rows.map(({ key }) => key),
    );
    for (const passed of all) {
      const record = records.get(passed.row.key);
      // What the ledger knows nothing of is as it stands in the table.
      if (record || one.targets.some(({ name }) => passed.row.values[name] === undefined)) handOn(passed, one, record);
    }
  }
  return rows.map((row, index) => ({ ...row.values, ...row.numbers, ...all[index]!.related, ...all[index]!.given }));
}

/** What is to be done about one step's cells in one row. */
export interface Considered {
  readonly passed: Passing;
  readonly record: CellRecord | undefined;
  readonly decision: Decision;
}

/** Considers one step for rows; their records are looked up in bulk. */
export async function consider(work: Work, one: StepWork, rows: readonly Passing[]): Promise<Considered[]> {
  const records = await work.ledger.cells.find(
    work.plan.name,
    one.name,
    rows.map(({ row }) => row.key),
  );
  const releases = one.unreleased.length > 0 ? await readReleases(work.ledger, work.plan.name) : [];
  const decideAll = (some: readonly Passing[]): (Omit<Considered, "decision"> & { readonly decision: Decision | Needs })[] =>
    some.map((passed) => {
      const record = records.get(passed.row.key);
      return { passed, record, decision: decide(work, one, passed, record, releases) };
    });
  if (one.does.kind === "ask" && hasSources(one.does.prepared)) {
    // A person's edit is held against all that was read when it was made.
    const edited = rows.filter((passed) => records.get(passed.row.key)?.edited);
    await findFor(
      work,
      one.does,
      edited.map((passed) => ({ passed, sources: sourcesOf(one, passed) })),
    );
    const needing = decideAll(rows).flatMap(({ passed, decision }) =>
      decision.do === "find" ? [{ passed, sources: decision.sources }] : [],
    );
    await findFor(work, one.does, needing);
  }
  // What was needed is found by now, or known to be nowhere.
  const considered = decideAll(rows) as Considered[];
  return isTemplateStep(one.step) && one.step.staleBy ? staleByOthers(work, one, one.step.staleBy, considered) : considered;
}

/** Finds what rows name, each source once for all of them. */
async function findFor(
  work: Work,
  { prepared }: AskWork,
  rows: readonly { readonly passed: Passing; readonly sources: readonly NamedSource[] }[],
): Promise<void> {
  if (rows.length === 0) return;
  const found: Finds = new Map();
  await findAll(
    prepared.sources,
    rows.flatMap(({ sources }) => sources),
    found,
    { mayFetch: work.mayFetch, signal: work.drop },
  );
  for (const { passed } of rows) passed.found = passed.found ? new Map([...passed.found, ...found]) : found;
}

/** What a row names for a step, whether it is going to be asked or not. */
function sourcesOf({ does }: StepWork, passed: Passing): readonly NamedSource[] {
  const reading = does.kind === "ask" ? readInputs(does.prepared, inputsFor(does.from, passed), passed.found ?? new Map()) : undefined;
  return reading?.state === "needed" ? reading.sources : [];
}

/** What is out of date only by inputs that do not count stands as it is. */
async function staleByOthers(
  work: Work,
  one: StepWork,
  counting: readonly string[],
  considered: readonly Considered[],
): Promise<Considered[]> {
  if (one.does.kind !== "ask" || work.refill === "all") return [...considered];
  const { from } = one.does;
  const counts = (piece: string): boolean => !piece.startsWith("input ") || counting.includes(from[piece.slice("input ".length)] ?? "");
  const changes = await changedPieces(work, one, considered);
  return considered.map((row, index) => {
    const pieces = changes[index]?.pieces;
    const stands = pieces !== undefined && pieces.length > 0 && !pieces.some(counts) && row.record?.reason?.code !== "notRenewed";
    return stands ? { ...row, decision: { do: "leave", state: row.record!.held ? "held" : "filled" } as const } : row;
  });
}

/** Walks over the table and considers every step as the ledger stands, handing on what earlier steps gave. */
export async function* considerAll(
  work: Work,
): AsyncGenerator<readonly { readonly one: StepWork; readonly rows: readonly Considered[] }[]> {
  for await (const { rows } of walk(work)) {
    const steps: { one: StepWork; rows: Considered[] }[] = [];
    for (const one of work.steps) {
      const considered = await consider(work, one, rows);
      for (const { passed, record } of considered) handOn(passed, one, record);
      steps.push({ one, rows: considered });
    }
    yield steps;
  }
}

/** The rows of a plan as its steps left them, for what is made of them. Looks for a person's edits first. */
export async function* filledRows(setup: FillSetup): AsyncGenerator<{ readonly rows: readonly Passing[]; readonly share: number }> {
  const work = workOf(setup);
  await patternsReady();
  await absorbEdits(work, "derived");
  for await (const { rows, share } of walk(work)) {
    for (const one of work.steps) {
      const records = await work.ledger.cells.find(
        work.plan.name,
        one.name,
        rows.map(({ row }) => row.key),
      );
      for (const passed of rows) handOn(passed, one, records.get(passed.row.key));
    }
    yield { rows, share };
  }
}

/** A mark that changes when the rows of a plan do; `undefined` where that cannot be told. */
export async function filledMark({ plan, table, ledger }: FillSetup): Promise<string | undefined> {
  const [source, standing, [run]] = await Promise.all([table.sourceMark(), table.standingMark(), ledger.runs.find("fill", plan.name, 1)]);
  return source === undefined || standing === undefined || run === undefined
    ? undefined
    : canonicalJson([source, standing, run.id, run.end ?? ""]);
}

/** What belongs to each row, looked up for all of them at once. */
async function relatedRows(work: Pick<FillSetup, "related">, rows: readonly Row[]): Promise<RelatedRows[]> {
  const all: Record<string, FoundRows>[] = rows.map(() => ({}));
  for (const [name, related] of Object.entries(work.related ?? {})) {
    for (const [index, found] of (await related.of(rows)).entries()) all[index]![name] = found;
  }
  return all;
}

/**
 * What one row gives to the inputs of a template step, with what the ledger knows of the steps before it; and what a person should know of
 * that.
 */
export async function inputCells(
  setup: FillSetup,
  row: Row,
  stepName = templateSteps(setup.plan)[0]?.name ?? "",
): Promise<{ readonly cells: Record<string, string | undefined>; readonly notes: readonly Remark[] }> {
  const step = templateSteps(setup.plan).find(({ name }) => name === stepName)!.step;
  const [related = {}] = await relatedRows(setup, [row]);
  const passed = passing(row, related);
  for (const [name, other] of Object.entries(setup.plan.steps)) {
    if (name === stepName) continue;
    const record = (await setup.ledger.cells.find(setup.plan.name, name, [row.key])).get(row.key);
    if (record)
      for (const column of Object.keys("fill" in other ? other.fill : other.set))
        passed.given[column] = record.edited?.[column] ?? record.values[column] ?? "";
  }
  const from = inputColumns(step, askingOf(setup, stepName).prepared.template);
  return {
    cells: inputsFor(from, passed),
    notes: Object.entries(passed.notes)
      .filter(([name]) => Object.values(from).includes(name))
      .map(([name, note]) => remark("about", { name, remark: note })),
  };
}
