import { modelsAsked, readyAsking, type Asking, type LayerOptions, type ReadyAsking } from "../asking/index.js";
import { YoroshiError, type CancelSignal, type Clock, type Micros } from "../ground/index.js";
import { kindOf, shapeSpec } from "../kinds/index.js";
import type { CellRecord, Ledger } from "../ledger/index.js";
import type { Model, ModelFailure } from "../model/index.js";
import type { FilledRow } from "./filled-row.js";
import {
  AFTER_STEP,
  stepsByRule,
  withAfterStep,
  readyRules,
  type ReadyRule,
  readCondition,
  type Condition,
  columnsRead,
  inputColumns,
  orderSteps,
  checkFilled,
  isTemplateStep,
  ownerOf,
  type Plan,
  type Refill,
  type Step,
  type TemplateStep,
  readSet,
  type ReadySet,
} from "../plan/index.js";
import { readyHolds, unreleasedColumns, type ReadyHold } from "../review/index.js";
import type { Related, Table, TargetColumn } from "../table/index.js";
import { columnAt, CONFIDENCE, evidenceAt, type EvidencePath, type NamedShape, type Sha256 } from "../template/index.js";

/** A plan with everything it names at hand. */
export interface FillSetup {
  readonly plan: Plan;
  readonly table: Table;
  /** What each template step asks, by the step's name. */
  readonly asking: Readonly<Record<string, Asking>>;
  /** The rows that the plan's `related` names, by name. */
  readonly related?: Readonly<Record<string, Related>> | undefined;
  readonly ledger: Ledger;
  readonly clock: Clock;
  /** The platform's own SHA-256, where it has a faster one. */
  readonly sha256?: Sha256 | undefined;
  /** Most that all runs on this ledger may spend in a calendar month (UTC), in millionths. */
  readonly monthlyCap?: Micros | undefined;
  /** The plan has been held against its templates and its table. Default: a fill does that first. */
  readonly isChecked?: boolean | undefined;
}

/** What one command asks of a fill, over what the plan says. */
export interface FillOptions {
  readonly refill?: Refill | undefined;
  /** Only the rows with these keys. */
  readonly only?: readonly string[] | undefined;
  /** Of these, rows that are not there any more are no mistake. */
  readonly orGone?: boolean | undefined;
  /** Only the rows for which this CEL over `row` holds; a row for which it cannot be evaluated is left out. */
  readonly where?: string | undefined;
  /** Only so many rows, drawn at random from those that are chosen otherwise. */
  readonly sample?: number | undefined;
  /** Which rows a sample draws. Default 1. */
  readonly seed?: number | undefined;
  /** Most rows to ask about. */
  readonly rows?: number | undefined;
  /** Most to spend, in millionths. */
  readonly spendCap?: Micros | undefined;
  /** Only the steps that fill these columns; what other steps gave stands as it is. */
  readonly columns?: readonly string[] | undefined;
  /** Columns in which a person's edits may be overwritten. */
  readonly overwrite?: readonly string[] | undefined;
  /**
   * Of a result file whose filled columns hold values that the ledger knows nothing of (it was lost, or the file comes from
   * elsewhere): `keep` them as a person's, or `renew` them. Default: that is an error.
   */
  readonly standing?: "keep" | "renew" | undefined;
  /** Add columns that the table lacks, where it does not take new ones by itself. Default: that is an error. */
  readonly createColumns?: boolean | undefined;
  /** Whether what rows name may be fetched; see `Work`. */
  readonly mayFetch?: boolean | undefined;
  /** See `Work`. */
  readonly takesUnfetched?: boolean | undefined;
  /** A run that asks, records and writes nothing leaves no trace in the list of runs. Default: every run is listed. */
  readonly quiet?: boolean | undefined;
  /** Aborted: nothing new is asked; what is in flight is finished. */
  readonly stop?: CancelSignal | undefined;
  /** Aborted: what is in flight is dropped, too. */
  readonly signal?: CancelSignal | undefined;
  readonly on?: FillEvents | undefined;
  /** Sees every attempt to ask a model: logs, telemetry. */
  readonly observed?: LayerOptions["observed"];
  /**
   * Called once the table's edits are taken in, before its rows are gone through: has others ask about them. What they leave is asked here
   * then, and the table is written from the ledger as ever. Gives what they asked, and what that took.
   */
  readonly spread?: ((work: Work, run: string) => Promise<SpreadFigures>) | undefined;
}

/** What others asked for a run. */
export interface SpreadFigures {
  readonly asked: number;
  readonly tokensIn: number;
  readonly tokensOut: number;
  readonly spent: Micros;
  /** Cells that a person changed meanwhile, found where rows were written. */
  readonly edits: number;
}

/** What a caller can be told while a fill goes on. What one of these functions throws ends the fill, and is thrown by it. */
export interface FillEvents {
  /** How far the fill is, at most some times a second. */
  progress?(progress: Progress): void;
  /** All steps of a row are settled. While a promise that it gives is open, nothing new is asked. */
  row?(row: FilledRow): void | Promise<void>;
  /** A model's host keeps failing, so that the run waits for it, or answers again. */
  breaker?(model: Model, state: "open" | "closed", failure?: ModelFailure): void;
}

/** How far a fill is. */
export interface Progress {
  /** How much of the table is done with or in flight, 0 to 1. */
  readonly share: number;
  readonly rows: number;
  readonly asked: number;
  readonly reused: number;
  readonly failed: number;
  readonly inFlight: number;
  readonly spent: Micros;
}

/** A setup with what one command asks of it, and its steps in order. */
export interface Work extends FillSetup {
  /** Every step after those that it needs. */
  readonly steps: readonly StepWork[];
  readonly refill: Refill;
  readonly only: ReadonlySet<string> | undefined;
  readonly where: Condition | undefined;
  /** The steps that are done, by name; `undefined` for all. */
  readonly chosenSteps: ReadonlySet<string> | undefined;
  /** Columns in which the command gives up a person's edits. */
  readonly overwrite: ReadonlySet<string>;
  /** Columns that are the machine's alone: what a person puts there is set back. */
  readonly refused: ReadonlySet<string>;
  /** Whether what rows name may be fetched from the web: a fill does, what only looks does not. */
  readonly mayFetch: boolean;
  /** Whether a row that names something which was never fetched counts as one that is asked. */
  readonly takesUnfetched: boolean;
  /** Aborted when the run is dropped. */
  readonly drop?: CancelSignal | undefined;
  /** The plan's `freeze`. */
  readonly freeze: Condition | undefined;
  /** When the table was last written, milliseconds since 1970. */
  readonly writtenAt?: number | undefined;
  /** The table's mark when a person's edits were last looked for. */
  readonly standingMark?: string | undefined;
  /** What stands in filled columns is neither ours nor a person's: it is written anew. */
  readonly renews?: boolean | undefined;
  /** Rows stand as they did after an earlier write: an old result was put back. */
  readonly isEarlier?: boolean | undefined;
}

/** A step with what is derived from it once for all rows. */
export interface StepWork {
  readonly name: string;
  readonly step: Step;
  /** The steps whose columns it reads. */
  readonly needs: readonly string[];
  /** The columns, and related rows, that it reads. */
  readonly reads: readonly string[];
  readonly condition: Condition | undefined;
  readonly targets: readonly Target[];
  /** Rows that share a request, at most. */
  readonly rowsPerRequest: number;
  /** The plan's rules that hold what it gives. */
  readonly holds: readonly ReadyHold[];
  /** The columns that stay out of the table until a random check shows that they may go in. */
  readonly unreleased: readonly string[];
  /** Whether later steps wait for what is held of it. */
  readonly holdsBack: boolean;
  /** Rules of the plan of which one must hold for a row; `undefined` for a step that is done for all. */
  readonly dueBy: readonly string[] | undefined;
  readonly does: AskWork | SetWork | RuledWork;
}

/** What a template step does. */
export interface AskWork extends ReadyAsking {
  readonly kind: "ask";
  readonly rules: readonly ReadyRule[];
  /** Input -> column. */
  readonly from: Readonly<Record<string, string>>;
}

/** What stands for columns that rules set: nothing by itself. */
export interface RuledWork {
  readonly kind: "ruled";
}

/** What a step of plain columns does. */
export interface SetWork {
  readonly kind: "set";
  readonly columns: readonly ReadySet[];
}

/** A column that a step fills. */
export interface Target extends TargetColumn {
  readonly type: NonNullable<TargetColumn["type"]>;
  /** The part it takes; a plain column has none. */
  readonly part: NamedShape | undefined;
  /** The piece of a part's evidence that it takes. */
  readonly evidence?: { readonly part: string; readonly piece: EvidencePath } | undefined;
}

/** The answer's confidence as a column takes it. */
const CONFIDENCE_SHAPE: NamedShape = { name: CONFIDENCE, ...shapeSpec({ kind: "number" }, kindOf) };

export function workOf(given: FillSetup, options: FillOptions = {}): Work {
  const setup = { ...given, plan: withAfterStep(given.plan) };
  const { plan } = setup;
  const ordered = orderSteps(
    plan,
    Object.fromEntries(Object.entries(setup.asking).map(([name, { prepared }]) => [name, prepared.template])),
  );
  if ("cycle" in ordered)
    throw new YoroshiError("misuse", {
      problem: `Steps of the plan ${plan.name} wait for each other: ${ordered.cycle.map(({ step }) => step).join(", ")}.`,
    });
  const { steps: names, needs } = ordered.order;
  const steps = names.map((name) => stepWork(setup, name, needs[name]!, names));
  for (const option of ["columns", "overwrite"] as const) checkFilled(plan, option, options[option]);
  return {
    ...setup,
    steps,
    chosenSteps:
      options.columns &&
      new Set(steps.filter(({ targets }) => targets.some(({ name }) => options.columns!.includes(name))).map(({ name }) => name)),
    refill: options.refill ?? plan.refill,
    only: options.only && options.only.length > 0 ? new Set(options.only) : undefined,
    mayFetch: options.mayFetch ?? false,
    takesUnfetched: options.takesUnfetched ?? false,
    drop: options.signal,
    where: options.where === undefined ? undefined : whereOf(options.where),
    overwrite: new Set(options.overwrite),
    refused: new Set(Object.keys(plan.edits ?? {}).filter((column) => ownerOf(plan, column) === "refuse")),
    freeze: plan.freeze === undefined ? undefined : readCondition(plan.freeze).condition,
  };
}

function stepWork(setup: FillSetup, name: string, needs: readonly string[], order: readonly string[]): StepWork {
  const step = setup.plan.steps[name]!;
  const condition = step.when === undefined ? undefined : readCondition(step.when).condition;
  const reads = columnsRead(step, isTemplateStep(step) ? askingOf(setup, name).prepared.template : undefined);
  const common = {
    name,
    step,
    needs,
    reads,
    condition,
    targets: targetsOf(setup, name),
    rowsPerRequest: isTemplateStep(step) ? (step.rowsPerRequest ?? 1) : 1,
    holds: isTemplateStep(step) ? readyHolds(setup.plan, name, order, Object.keys(askingOf(setup, name).prepared.template.answer)) : [],
    unreleased: unreleasedColumns(setup.plan, name),
    holdsBack: setup.plan.review?.waits ?? true,
    dueBy: stepsByRule(setup.plan).get(name),
  };
  if (name === AFTER_STEP) return { ...common, does: { kind: "ruled" } };
  if (!isTemplateStep(step)) return { ...common, does: { kind: "set", columns: readySets(step) } };
  const asking = askingOf(setup, name);
  const { prepared } = asking;
  return {
    ...common,
    does: {
      kind: "ask",
      ...readyAsking(asking, setup.sha256),
      rules: readyRules(step, prepared.parts),
      from: inputColumns(step, prepared.template),
    },
  };
}

const readySets = (step: Exclude<Step, TemplateStep>): ReadySet[] =>
  Object.entries(step.set).map(([column, source]) => readSet(column, source).set!);

/** @throws YoroshiError `misuse` where a setup made in code leaves a step out. */
export function askingOf({ plan, asking }: Pick<FillSetup, "plan" | "asking">, step: string): Asking {
  const found = asking[step];
  if (!found)
    throw new YoroshiError("misuse", {
      problem: `\`asking\` lacks the step \`${step}\` of the plan ${plan.name}: \`{ prepared, version, model }\`.`,
    });
  return found;
}

function targetsOf(setup: Pick<FillSetup, "plan" | "asking">, name: string): Target[] {
  const step = setup.plan.steps[name]!;
  if (!isTemplateStep(step))
    return readySets(step).map(({ column, type, freeText }) => ({ name: column, type, freeText, part: undefined }));
  const { parts } = askingOf(setup, name).prepared;
  return Object.entries(step.fill).map(([column, partName]) => {
    const part = columnAt(parts, partName) ?? CONFIDENCE_SHAPE;
    return {
      name: column,
      type: part.kind.cellType?.(part.spec) ?? "text",
      freeText: part.kind.freeText === true,
      part,
      evidence: evidenceAt(parts, partName),
    };
  });
}

/** All columns that a plan fills, as a table takes them. */
export function targetColumns(given: Pick<FillSetup, "plan" | "asking">): TargetColumn[] {
  const setup = { ...given, plan: withAfterStep(given.plan) };
  return Object.keys(setup.plan.steps).flatMap((name) => plainTargets(targetsOf(setup, name)));
}

export const plainTargets = (targets: readonly Target[]): TargetColumn[] =>
  targets.map(({ name, type, freeText }) => ({ name, type, freeText }));

function whereOf(source: string): Condition {
  const { condition, problem } = readCondition(source);
  if (!condition) throw new YoroshiError("badOption", { option: "where", problem: `\`${source}\` cannot be read as CEL: ${problem}.` });
  return condition;
}

/** Whether a person's values in a column give way: the command says so, or the column is the machine's alone. */
export const givesUp = ({ overwrite, refused }: Pick<Work, "overwrite" | "refused">, column: string): boolean =>
  overwrite.has(column) || refused.has(column);

/** Every model that the steps ask, each once. */
export function modelsOf({ steps }: Work): Model[] {
  return modelsAsked(steps.flatMap(({ does }) => (does.kind === "ask" ? [does] : [])));
}

/** Whether a row's cells stand as a rule settled them. */
export function isRuled({ does }: StepWork, record: CellRecord | undefined): boolean {
  return does.kind === "ask" && does.rules.some((rule) => rule.fingerprint === record?.fingerprint);
}
