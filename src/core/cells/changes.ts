import { remark, type Remark } from "../ground/index.js";
import { basisOf, changesBetween } from "../template/index.js";
import type { StepWork, Work } from "./setup.js";
import type { Considered } from "./walk.js";

/** For each row whose value is out of date, what has changed since it was answered; the old answers are looked up in bulk. */
export async function changesOf(work: Work, { does }: StepWork, rows: readonly Considered[]): Promise<(Remark | undefined)[]> {
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
    const pieces = changesBetween(before.basis, basisOf(does.prepared, does.model, decision.inputs));
    if (pieces.length === 0) return undefined;
    const versions = before.version !== does.version && pieces.includes("template") ? { before: before.version, after: does.version } : {};
    return remark("changedIn", { pieces, ...versions });
  });
}
