import { canonicalJson, remark, type Remark } from "../ground/index.js";
import type { AnswerRecord, CellRecord, ChangedCells, Ledger } from "../ledger/index.js";
import { AFTER_STEP } from "../plan/index.js";
import type { CellValue } from "../table/index.js";
import { changesBetween } from "../template/index.js";

/** A cell that a run altered. */
export interface Change {
  readonly key: string;
  readonly step: string;
  readonly column: string;
  /** `undefined` for a cell that was, or now is, without a value. */
  readonly before: CellValue | undefined;
  readonly after: CellValue | undefined;
  readonly why: Remark;
  /** When it was recorded, milliseconds since 1970. */
  readonly at: number;
}

/**
 * What a run altered, some hundred rows at a time: every cell whose value is another than before it. Of the plan's last ten fills that
 * changed something.
 */
export async function* changesOfRun(
  { cells, answers }: Pick<Ledger, "cells" | "answers">,
  plan: string,
  run: string,
): AsyncIterable<readonly Change[]> {
  for await (const some of cells.changedBy(run, plan)) {
    const altered = some.map((change) => ({ change, columns: alteredColumns(change) })).filter(({ columns }) => columns.length > 0);
    const asked = altered.filter(({ change: { before, after } }) => isAnotherQuestion(before, after));
    const wanted = asked.flatMap(({ change: { before, after } }) => [before!.fingerprint!, after.fingerprint!]);
    const found = new Map((wanted.length > 0 ? await answers.find(wanted) : []).map((answer, index) => [wanted[index]!, answer]));
    const changes = altered.flatMap(({ change: { before, after }, columns }) =>
      columns.map((column): Change => ({
        key: after.key,
        step: after.step,
        column,
        before: standing(before, column),
        after: standing(after, column),
        why: whyOf(before, after, column, found),
        at: after.at,
      })),
    );
    if (changes.length > 0) yield changes;
  }
}

/** What counts as the value of a column. */
const standing = (record: CellRecord | undefined, column: string): CellValue | undefined =>
  record?.edited?.[column] ?? record?.values[column];

function alteredColumns({ before, after }: ChangedCells): string[] {
  const columns = new Set([before, after].flatMap((one) => [...Object.keys(one?.values ?? {}), ...Object.keys(one?.edited ?? {})]));
  return [...columns].filter((column) => {
    const [then, now] = [standing(before, column), standing(after, column)];
    return (then ?? "") !== (now ?? "") && canonicalJson(then ?? "") !== canonicalJson(now ?? "");
  });
}

const isAnotherQuestion = (before: CellRecord | undefined, after: CellRecord): boolean =>
  before?.fingerprint !== undefined && after.fingerprint !== undefined && before.fingerprint !== after.fingerprint;

function whyOf(
  before: CellRecord | undefined,
  after: CellRecord,
  column: string,
  answers: ReadonlyMap<string, AnswerRecord | undefined>,
): Remark {
  if (after.edited?.[column] !== undefined && after.edited[column] !== before?.edited?.[column]) return remark("editedBy");
  if (after.step === AFTER_STEP) return remark("setByRule");
  const decided = after.decided?.[column];
  if (decided && decided.at !== before?.decided?.[column]?.at) return remark("decidedBy", { by: decided.by });
  if (standing(after, column) === undefined && after.reason) return after.reason;
  if (standing(before, column) === undefined) return remark("filledFirst");
  if (!isAnotherQuestion(before, after)) return remark("answeredAgain");
  const [then, now] = [answers.get(before!.fingerprint!), answers.get(after.fingerprint!)];
  if (!then?.basis || !now?.basis) return remark("madeAnew");
  const pieces = changesBetween(then.basis, now.basis);
  if (pieces.length === 0) return remark("answeredAgain");
  const versions = then.version !== now.version && pieces.includes("template") ? { before: then.version, after: now.version } : {};
  return remark("changedIn", { pieces, ...versions });
}
