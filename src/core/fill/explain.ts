import { YoroshiError } from "../ground/index.js";
import type { AnswerRecord, CellRecord, CellState } from "../ledger/index.js";
import type { Row } from "../table/index.js";
import { readInputs, type Message } from "../template/index.js";
import { absorbEdits } from "./edits.js";
import { workOf, type FillSetup } from "./setup.js";
import { inputCells, walk } from "./walk.js";

/** Everything that is known of the cells that a plan fills in one row. */
export interface CellExplanation {
  readonly key: string;
  readonly place: string;
  readonly state: CellState;
  /** Why the cells are empty or out of date. */
  readonly reason?: string | undefined;
  readonly record?: CellRecord | undefined;
  /** The answer that the values came from. */
  readonly answer?: AnswerRecord | undefined;
  /** The prompt as the row and the template stand now; the answer may be to an older one, see `same`. */
  readonly prompt?: readonly Message[] | undefined;
  /** Whether the answer is to exactly this prompt: the same template, inputs, references, model and settings. */
  readonly same: boolean;
}

/**
 * Explains one row's cells. Asks nothing.
 *
 * @throws YoroshiError `keyNotFound` where the table has no such row.
 */
export async function explainCell(setup: FillSetup, key: string): Promise<CellExplanation> {
  const work = workOf(setup, { refill: "stale", only: [key] });
  await absorbEdits(work, "status");
  for await (const { considered } of walk(work)) {
    const found = considered.find(({ row }) => row.key === key);
    if (!found) continue;
    const { row, record, decision } = found;
    const fresh = decision.do === "answer" ? decision : undefined;
    const [answer] = record?.fingerprint === undefined ? [] : await work.ledger.answers([record.fingerprint]);
    const state: CellState = decision.do === "answer" ? decision.was : decision.do === "give" ? "blank" : decision.state;
    return {
      key,
      place: row.place,
      state,
      reason: decision.do === "mark" || decision.do === "leave" ? (decision.reason ?? record?.reason) : record?.reason,
      record,
      answer,
      ...(await promptOf(setup, row, fresh?.inputs)),
      same: state === "filled" && answer !== undefined,
    };
  }
  throw new YoroshiError("keyNotFound", { keys: [key], table: setup.table.name });
}

async function promptOf(setup: FillSetup, row: Row, known: Parameters<FillSetup["prepared"]["render"]>[0] | undefined): Promise<{ prompt?: Message[] }> {
  const inputs = known ?? (await readRow(setup, row));
  return inputs ? { prompt: setup.prepared.render(inputs) } : {};
}

async function readRow(setup: FillSetup, row: Row): Promise<Parameters<FillSetup["prepared"]["render"]>[0] | undefined> {
  const reading = readInputs(setup.prepared, await inputCells(setup, row));
  return reading.state === "ready" ? reading.inputs : undefined;
}
