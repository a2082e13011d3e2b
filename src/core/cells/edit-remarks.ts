import { canonicalJson, quickHash, remark, type Remark } from "../ground/index.js";
import type { CellRecord } from "../ledger/index.js";
import { readInputs } from "../template/index.js";
import { inputsFor, type Passing } from "./passing.js";
import type { StepWork } from "./setup.js";

/** A person's value that somebody should look at again. */
export interface EditRemark {
  readonly column: string;
  readonly remark: Remark;
}

/** A short hash of what a step reads in a row, kept with a person's edits. */
export function editMark({ does }: StepWork, passed: Passing): string | undefined {
  if (does.kind !== "ask") return undefined;
  const reading = readInputs(does.prepared, inputsFor(does.from, passed), passed.found);
  return reading.state === "ready" ? quickHash(canonicalJson(reading.inputs)) : undefined;
}

/** Whether the row has changed since its edits were first seen. */
export function hasChangedSince(one: StepWork, passed: Passing, { editedOn }: Pick<CellRecord, "editedOn">): boolean {
  const now = editedOn === undefined ? undefined : editMark(one, passed);
  return now !== undefined && now !== editedOn;
}

/** What is to be said of a row's edited cells: that the row has changed since, that the value is none of the column's kind. */
export function editRemarks(one: StepWork, passed: Passing, record: CellRecord | undefined): EditRemark[] {
  if (!record?.edited) return [];
  const hasChanged = hasChangedSince(one, passed, record);
  return one.targets.flatMap(({ name, part }) => {
    const edited = record.edited![name];
    if (edited === undefined) return [];
    const reading = part?.fromCell(edited);
    return [
      ...(hasChanged ? [{ column: name, remark: remark("editedThenChanged") }] : []),
      ...(reading && !reading.ok ? [{ column: name, remark: remark("editedUnfit", { problem: reading.problem }) }] : []),
    ];
  });
}
