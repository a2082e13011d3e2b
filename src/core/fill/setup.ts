import { YoroshiError, type CancelSignal, type Clock, type Micros } from "../ground/index.js";
import type { Ledger } from "../ledger/index.js";
import type { Model } from "../model/index.js";
import { kindOf, shapeSpec } from "../kinds/index.js";
import type { Related, Table, TargetColumn } from "../table/index.js";
import { CONFIDENCE, fingerprinter, partAt, type Fingerprinter, type NamedShape, type Prepared, type Sha256 } from "../template/index.js";
import { readyRules, type ReadyRule } from "./clear.js";
import { inputColumns } from "./check-plan.js";
import { readCondition, type Condition } from "./condition.js";
import { stepOf, type Plan, type Refill, type Step } from "./plan.js";

/** A plan with everything it names at hand. */
export interface FillSetup {
  readonly plan: Plan;
  readonly table: Table;
  readonly prepared: Prepared;
  /** The template's version, from the ledger. */
  readonly version: number;
  readonly model: Model;
  /** The models that the template names besides its own, by name. */
  readonly others?: Readonly<Record<string, Model>> | undefined;
  /** The rows that the plan's `related` names, by name. */
  readonly related?: Readonly<Record<string, Related>> | undefined;
  readonly ledger: Ledger;
  readonly clock: Clock;
  /** The platform's own SHA-256, where it has a faster one. */
  readonly sha256?: Sha256 | undefined;
}

/** What one command asks of a fill, over what the plan says. */
export interface FillOptions {
  readonly refill?: Refill | undefined;
  /** Only the rows with these keys. */
  readonly only?: readonly string[] | undefined;
  /** Only the rows for which this CEL over `row` holds; a row for which it cannot be evaluated is left out. */
  readonly where?: string | undefined;
  /** Most rows to ask about. */
  readonly rows?: number | undefined;
  /** Most to spend, in millionths. */
  readonly spendCap?: Micros | undefined;
  /** Columns in which a person's edits may be overwritten. */
  readonly overwrite?: readonly string[] | undefined;
  /** Add columns that the table lacks, where it does not take new ones by itself. Default: that is an error. */
  readonly createColumns?: boolean | undefined;
  /** Aborted: nothing new is asked; what is in flight is finished. */
  readonly stop?: CancelSignal | undefined;
  /** Aborted: what is in flight is dropped, too. */
  readonly drop?: CancelSignal | undefined;
  readonly onProgress?: ((progress: Progress) => void) | undefined;
}

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

/** A setup with what is derived from it once for all rows. */
export interface Work extends FillSetup {
  readonly stepName: string;
  readonly step: Step;
  readonly condition: Condition | undefined;
  readonly rules: readonly ReadyRule[];
  readonly fingerprint: Fingerprinter;
  /** Input -> column. */
  readonly from: Readonly<Record<string, string>>;
  readonly targets: readonly Target[];
  readonly refill: Refill;
  readonly only: ReadonlySet<string> | undefined;
  readonly where: Condition | undefined;
  readonly overwrite: ReadonlySet<string>;
  /** When the table was last written, milliseconds since 1970. */
  readonly writtenAt?: number | undefined;
  /** The table's mark when a person's edits were last looked for. */
  readonly standingMark?: string | undefined;
}

/** A column that the step fills, and the part it takes. */
export interface Target {
  readonly column: string;
  readonly freeText: boolean;
  readonly part: NamedShape;
}

function whereOf(source: string): Condition {
  const { condition, problem } = readCondition(source);
  if (!condition) throw new YoroshiError("badOption", { option: "where", problem: `\`${source}\` cannot be read as CEL: ${problem}.` });
  return condition;
}

/** The answer's confidence as a column takes it. */
const CONFIDENCE_SHAPE: NamedShape = { name: CONFIDENCE, ...shapeSpec({ kind: "number" }, kindOf) };

function targetsOf({ plan, prepared }: Pick<FillSetup, "plan" | "prepared">): Target[] {
  return Object.entries(stepOf(plan).step.fill).map(([column, partName]) => {
    const part = partAt(prepared.parts, partName) ?? CONFIDENCE_SHAPE;
    return { column, part, freeText: part.kind.freeText === true };
  });
}

export function workOf(setup: FillSetup, options: FillOptions = {}): Work {
  const { name, step } = stepOf(setup.plan);
  const { template, parts } = setup.prepared;
  return {
    ...setup,
    stepName: name,
    step,
    condition: step.when === undefined ? undefined : readCondition(step.when).condition,
    rules: readyRules(step, parts),
    fingerprint: fingerprinter(setup.prepared, setup.model, setup.sha256, setup.others),
    from: inputColumns(step, template),
    targets: targetsOf(setup),
    refill: options.refill ?? setup.plan.refill,
    only: options.only && options.only.length > 0 ? new Set(options.only) : undefined,
    where: options.where === undefined ? undefined : whereOf(options.where),
    overwrite: new Set(options.overwrite),
  };
}

/** The step's columns as a table takes them. */
export const targetColumns = (setup: Pick<FillSetup, "plan" | "prepared">): TargetColumn[] => targetsOf(setup).map(({ column, freeText, part }) => ({ name: column, freeText, type: part.kind.cellType?.(part.spec) ?? "text" }));
