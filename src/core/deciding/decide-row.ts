import { patternsReady, YoroshiError, type Clock } from "../ground/index.js";
import {
  readWritten,
  restandingCells,
  settleHeld,
  workOf,
  type CellVerdict,
  type FillSetup,
  type StepWork,
  type Work,
} from "../cells/index.js";
import { forgetSettled } from "../fill/index.js";
import type { CellRecord, DecidedCell, DecisionRecord } from "../ledger/index.js";
import { claim } from "../ledger/index.js";
import { judgedMark, verdictOf } from "../review/index.js";
import type { CellValue } from "../table/index.js";
import { askingStep } from "./waiting.js";

/** What a person does about one column of a row. */
export type Decision =
  | { readonly how: "accept" }
  /** `value`: as a cell would have it; it must be of the column's kind. */
  | { readonly how: "edit"; readonly value: string; readonly reason?: string | undefined }
  /** `value`: what is to stand there instead; blank where none is given. */
  | { readonly how: "reject"; readonly reason?: string | undefined; readonly value?: string | undefined }
  /** `says`: what the model is told of its answer. The whole answer is asked again, at the next fill. */
  | { readonly how: "askAgain"; readonly says: string };

/** What a person does about a row. */
export interface RowDecision {
  readonly step: string;
  readonly key: string;
  /** Column -> what is done about it. */
  readonly columns: Readonly<Record<string, Decision>>;
  /** Column -> the mark of what was judged; where one has changed since, nothing is decided. Default: what stands now. */
  readonly judged?: Readonly<Record<string, string>> | undefined;
  readonly by: string;
  readonly tookMs?: number | undefined;
  /** The random check that it is for; and whether the value was hidden until the person had said theirs. */
  readonly check?: string | undefined;
  readonly blind?: boolean | undefined;
}

/** What became of a row's columns. */
export interface RowDecided {
  readonly act: string;
  /** Column -> `decided`, or that others must still say the same (`open`), or that they do not (`disputed`). */
  readonly columns: Readonly<Record<string, "decided" | "open" | "disputed" | "askedAgain">>;
  readonly record: CellRecord;
}

const AGAIN_MS = 40;
const MOST_TRIES = 50;

/**
 * Keeps what a person decided about a row, and what becomes of its cells; the table is written later, from the ledger. A decision is about
 * the answer that was judged: another answer is decided anew.
 *
 * @throws YoroshiError `nothingToDecide`, `answerMovedOn`, `decisionUnfit`, `rowBusy`.
 */
export async function decideRow(setup: FillSetup, decision: RowDecision): Promise<RowDecided> {
  const work = await decidingWork(setup);
  return withRow(work, decision.step, decision.key, async (one, record) => {
    const act = newAct(work.clock);
    const made = Object.entries(decision.columns).map(([column, what]) => decisionOf(work, one, record, decision, act, column, what));
    const before = await work.ledger.decisions.of(work.plan.name, one.name, record.key);
    const columns: Record<string, RowDecided["columns"][string]> = {};
    const verdicts: CellVerdict[] = [];
    for (const now of made) {
      if (now.how === "askAgain") {
        columns[now.column] = "askedAgain";
        continue;
      }
      const about = [...before.filter(({ column }) => column === now.column), now];
      // What was drawn at random, or stands already, is one person's to judge.
      const people = record.held?.values[now.column] === undefined || decision.check ? 1 : (work.plan.review?.people ?? 1);
      const verdict = verdictOf(about, now.judged, people);
      columns[now.column] = verdict.is;
      if (verdict.is === "decided") verdicts.push(verdictFor(verdict.decision, now.column));
    }
    const again = made.find(({ how }) => how === "askAgain");
    const { values: _, by: __, ...shown } = record.held ?? { values: {}, by: {} };
    if (made[0] && record.held) made[0] = { ...made[0], shown: shown as DecisionRecord["shown"] };
    const by = { by: decision.by, at: work.clock.now(), act };
    const next = again
      ? await askedAgain(work, record, again)
      : verdicts.length > 0
        ? restandingCells(work, one, record, withoutEdits(settleHeld(record, record.held, verdicts, by), record, verdicts), "review")
        : undefined;
    await work.ledger.record({ decisions: made, ...(next ? { cells: [next] } : {}) });
    if (next) await forgetSettled(work);
    return { act, columns, record: next ?? record };
  });
}

/** The work on a plan, for what is decided about its cells. */
export async function decidingWork(setup: FillSetup): Promise<Work> {
  await patternsReady();
  const { at: writtenAt } = await readWritten(setup);
  return { ...workOf(setup), writtenAt };
}

/**
 * Nobody else decides about a row meanwhile, in whatever process.
 *
 * @param blank what counts as the row's record where it has none. Default: that is an error.
 * @throws YoroshiError `rowBusy`, `nothingToDecide`.
 */
export async function withRow<T>(
  work: Work,
  step: string,
  key: string,
  act: (one: StepWork, record: CellRecord) => Promise<T>,
  blank?: CellRecord,
): Promise<T> {
  const one = askingStep(work, step);
  const letGo = await claimRow(work, `decide:${work.plan.name} ${step} ${key}`);
  if (!letGo) throw new YoroshiError("rowBusy", { key });
  try {
    const record = (await work.ledger.cells.find(work.plan.name, step, [key])).get(key) ?? blank;
    if (!record) throw new YoroshiError("nothingToDecide", { plan: work.plan.name, key });
    return await act(one, record);
  } finally {
    await letGo();
  }
}

async function claimRow({ ledger, clock }: Work, name: string): Promise<(() => Promise<void>) | undefined> {
  for (let left = MOST_TRIES; left > 0; left--) {
    const letGo = await claim(ledger, clock, name);
    if (letGo) return letGo;
    await clock.sleep(AGAIN_MS);
  }
  return undefined;
}

/** A name for what is done at once. */
export const newAct = (clock: Clock): string =>
  `${clock.now().toString(36)}${Math.floor(clock.random() * 0xffffffff)
    .toString(36)
    .padStart(7, "0")}`;

/** The value of a column that is judged: the one that is held, else the one that stands. */
export const judgedValue = ({ held, values }: CellRecord, column: string): CellValue | undefined => held?.values[column] ?? values[column];

function decisionOf(
  { plan, clock }: Work,
  one: StepWork,
  record: CellRecord,
  { by, tookMs, check, blind, judged: marks }: RowDecision,
  act: string,
  column: string,
  what: Decision,
): DecisionRecord {
  const { key } = record;
  const value = judgedValue(record, column);
  if (!one.targets.some(({ name }) => name === column) || value === undefined)
    throw new YoroshiError("nothingToDecide", { plan: plan.name, key, column });
  const judged = judgedMark(record.fingerprint ?? "", column, value);
  if (marks?.[column] !== undefined && marks[column] !== judged) throw new YoroshiError("answerMovedOn", { key, column });
  const asks = one.does.kind === "ask" ? one.does : undefined;
  const given = "value" in what && what.value !== undefined && what.value !== "" ? cellOf(one, key, column, what.value) : undefined;
  if (what.how === "edit" && given === undefined)
    throw new YoroshiError("decisionUnfit", { key, column, problem: "an edit needs a value" });
  const reason = what.how === "askAgain" ? what.says.trim() : "reason" in what ? what.reason?.trim() : undefined;
  if (what.how === "askAgain" && !reason)
    throw new YoroshiError("decisionUnfit", { key, column, problem: "say what is wrong with the answer" });
  const rules = Object.entries(record.held?.by ?? {}).flatMap(([rule, columns]) => (columns.includes(column) ? [rule] : []));
  return {
    act,
    plan: plan.name,
    step: one.name,
    key,
    column,
    how: what.how,
    judged,
    value,
    ...(given === undefined ? {} : { given }),
    ...(record.values[column] === undefined ? {} : { stood: record.values[column] }),
    ...(rules.length > 0 ? { rules } : {}),
    ...(reason ? { reason } : {}),
    ...(asks ? { template: asks.prepared.template.name } : {}),
    version: record.held?.version ?? asks?.version,
    model: record.held?.model ?? asks?.model.id,
    by,
    at: clock.now(),
    ...(tookMs === undefined ? {} : { tookMs }),
    ...(check === undefined ? {} : { check }),
    ...(blind ? { blind } : {}),
  };
}

/** A value as a person typed it, as the column takes it. @throws YoroshiError `decisionUnfit`. */
export function cellOf({ targets }: Pick<StepWork, "targets">, key: string, column: string, text: string): CellValue {
  const part = targets.find(({ name }) => name === column)?.part;
  if (!part) throw new YoroshiError("decisionUnfit", { key, column, problem: "it is a plain column, made of others" });
  const reading = part.fromCell(text.trim());
  if (!reading.ok) throw new YoroshiError("decisionUnfit", { key, column, problem: reading.problem });
  const checked = part.schema.safeParse(reading.value);
  if (!checked.success)
    throw new YoroshiError("decisionUnfit", { key, column, problem: checked.error.issues[0]?.message ?? "it does not fit its kind" });
  return typeof checked.data === "number" ? checked.data : part.toCell(checked.data);
}

const verdictFor = ({ how, given, reason }: DecisionRecord, column: string): CellVerdict => ({
  column,
  how: how as DecidedCell["how"],
  value: given,
  reason,
});

/** A person's earlier value in the table goes where another is decided; it stays where the machine's is rejected. */
function withoutEdits(next: CellRecord, { edited, held }: CellRecord, verdicts: readonly CellVerdict[]): CellRecord {
  if (!edited) return next;
  const replaced = new Set(verdicts.filter(({ how }) => how !== "reject").map(({ column }) => column));
  const kept = Object.entries(edited).filter(([column]) => !replaced.has(column));
  const isKept = kept.some(([column]) => verdicts.some((verdict) => verdict.column === column));
  return {
    ...next,
    edited: kept.length > 0 ? Object.fromEntries(kept) : undefined,
    // What was rejected was an answer to the row as it is now.
    editedOn: isKept ? (held?.on ?? next.editedOn) : next.editedOn,
  };
}

/** The answer is asked again, with what a person said of it. */
async function askedAgain({ ledger, clock, writtenAt }: Work, record: CellRecord, { reason, by }: DecisionRecord): Promise<CellRecord> {
  const fingerprint = record.fingerprint ?? "";
  const [answer] = await ledger.answers.find([fingerprint]);
  const before = answer?.answer.state === "answered" ? answer.answer.parts : record.held?.values;
  // An answer that was asked again already is to the question as it was first asked.
  const on = record.again && record.held?.by["askedAgain"] ? record.again.on : fingerprint;
  return {
    ...record,
    again: { on, says: record.again?.on === on ? `${record.again.says}\n${reason!}` : reason!, before: JSON.stringify(before ?? {}), by },
    run: "review",
    at: Math.max(clock.now(), (writtenAt ?? 0) + 1),
  };
}
