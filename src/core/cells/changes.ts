import { remark, type Remark } from "../ground/index.js";
import type { CellRecord } from "../ledger/index.js";
import { basisOf, changesBetween } from "../template/index.js";
import type { Decision } from "./decide.js";
import type { StepWork, Work } from "./setup.js";

/** A row's decision, and its cells as the ledger knows them. */
interface Decided {
  readonly decision: Decision;
  readonly record: CellRecord | undefined;
}

/** For rows whose values are out of date: what differs of their basis, and the version they were answered with. Looked up in bulk. */
export async function changedPieces(
  work: Work,
  { does }: StepWork,
  rows: readonly Decided[],
): Promise<({ readonly pieces: readonly string[]; readonly version: number } | undefined)[]> {
  if (does.kind !== "ask") return [];
  const stale = rows.map(({ decision, record }) =>
    decision.do === "answer" && decision.was === "stale" ? record?.fingerprint : undefined,
  );
  const wanted = stale.filter((fingerprint) => fingerprint !== undefined);
  if (wanted.length === 0) return [];
  const found = new Map((await work.ledger.answers.find(wanted)).map((answer, index) => [wanted[index]!, answer]));
  return rows.map(({ decision }, index) => {
    const before = found.get(stale[index] ?? "");
    if (!before?.basis || decision.do !== "answer") return undefined;
    return { pieces: changesBetween(before.basis, basisOf(does.prepared, does.model, decision.inputs)), version: before.version };
  });
}

/** For each row whose value is out of date, what has changed since it was answered. */
export async function changesOf(work: Work, one: StepWork, rows: readonly Decided[]): Promise<(Remark | undefined)[]> {
  const changes = await changedPieces(work, one, rows);
  return changes.map((change) => {
    if (!change || change.pieces.length === 0 || one.does.kind !== "ask") return undefined;
    const { pieces, version } = change;
    const versions = version !== one.does.version && pieces.includes("template") ? { before: version, after: one.does.version } : {};
    return remark("changedIn", { pieces, ...versions });
  });
}
