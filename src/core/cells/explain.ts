import { rendered } from "../answer/index.js";
import { requestOf } from "../asking/index.js";
import { patternsReady, remark, YoroshiError, type Json, type Message, type Remark } from "../ground/index.js";
import type { AnswerRecord, CellRecord, CellState } from "../ledger/index.js";
import { readInputs } from "../template/index.js";
import { changesOf } from "./changes.js";
import { absorbEdits } from "./edits.js";
import { inputsFor, type Passing } from "./passing.js";
import { workOf, type FillSetup, type StepWork } from "./setup.js";
import { stateOf } from "./seen.js";
import { considerAll, type Considered } from "./walk.js";

/** Everything that is known of the cells that one step fills in one row. */
export interface CellExplanation {
  readonly key: string;
  readonly place: string;
  readonly step: string;
  /** The columns that the step fills. */
  readonly columns: readonly string[];
  readonly state: CellState;
  /** Why the cells are empty or out of date. */
  readonly reason?: Remark | undefined;
  readonly record?: CellRecord | undefined;
  /** The answer that the values came from. */
  readonly answer?: AnswerRecord | undefined;
  /** What the template is asked about, as the row stands now. */
  readonly inputs?: Readonly<Record<string, Json>> | undefined;
  /** The prompt as the row and the template stand now; the answer may be to an older one, see `same`. */
  readonly prompt?: readonly Message[] | undefined;
  /** Whether the answer is to exactly this prompt: the same template, inputs, references, model and settings. */
  readonly same: boolean;
}

/**
 * Explains one row's cells, step by step. Asks nothing.
 *
 * @param column only the step that fills this column.
 * @throws YoroshiError `keyNotFound` where the table has no such row.
 * @example
 * ```ts
 * import { explainCells } from "yoroshi";
 *
 * // `setup` as in the example of `fill`.
 * const [cells] = await explainCells(setup, "1");
 * cells!.state; // => "blank"
 * console.log(cells!.prompt);
 * ```
 */
export async function explainCells(setup: FillSetup, key: string, column?: string): Promise<CellExplanation[]> {
  const work = workOf(setup, { refill: "stale", only: [key] });
  const known = work.steps.flatMap(({ targets }) => targets.map(({ name }) => name));
  if (column !== undefined && !known.includes(column))
    throw new YoroshiError("notFound", { what: "column that the plan fills, named", name: column, known });
  await patternsReady();
  await absorbEdits(work, "status");
  for await (const steps of considerAll(work)) {
    const found: CellExplanation[] = [];
    for (const { one, rows } of steps) {
      const considered = rows.find(({ passed }) => passed.row.key === key);
      if (!considered || (column !== undefined && !one.targets.some(({ name }) => name === column))) continue;
      const [answer] = considered.record?.fingerprint === undefined ? [] : await work.ledger.answers.find([considered.record.fingerprint]);
      const [changed] = await changesOf(work, one, [considered]);
      found.push(await explained(one, considered, answer, changed));
    }
    if (found.length > 0) return found;
  }
  throw new YoroshiError("keyNotFound", { keys: [key], table: setup.table.name });
}

async function explained(
  one: StepWork,
  { passed, record, decision }: Considered,
  answer: AnswerRecord | undefined,
  changed: Remark | undefined,
): Promise<CellExplanation> {
  const state = stateOf(decision);
  const reason =
    decision.do === "mark" || decision.do === "leave"
      ? (decision.reason ?? record?.reason)
      : state === "stale"
        ? (changed ?? record?.reason ?? remark("changed"))
        : record?.reason;
  return {
    key: passed.row.key,
    place: passed.row.place,
    step: one.name,
    columns: one.targets.map(({ name }) => name),
    state,
    reason,
    record,
    answer,
    ...(await promptOf(one, passed)),
    same: state === "filled" && answer !== undefined,
  };
}

async function promptOf({ does }: StepWork, passed: Passing): Promise<Pick<CellExplanation, "inputs" | "prompt">> {
  if (does.kind !== "ask") return {};
  const reading = readInputs(does.prepared, inputsFor(does.from, passed), passed.found);
  if (reading.state !== "ready") return {};
  const { prepared, inputs } = requestOf(does, reading.inputs);
  const made = await rendered(prepared, inputs, does.model);
  return "reason" in made ? {} : { inputs: made.quotable, prompt: made.messages };
}

/** The texts of a row in which a step's quotations are looked for, as it stands now; none where nothing can be asked about it. */
export const quotableOf = async (one: StepWork, passed: Passing): Promise<CellExplanation["inputs"]> =>
  (await promptOf(one, passed)).inputs;
