import { complain, nearest, readTest, type Complaint, type SourceDocument } from "../ground/index.js";
import type { KnownTable } from "./known-table.js";
import { readCondition } from "./condition.js";
import { columnsOf, templateSteps, type Plan } from "./plan.js";

/** Holds what a plan says of review and of owners against the columns that it fills, and those of its table. */
export function checkReview(plan: Plan, document: SourceDocument, table: KnownTable | undefined): Complaint[] {
  const found: Complaint[] = [];
  const asked = templateSteps(plan).flatMap(({ step }) => columnsOf(step));
  const filled = Object.values(plan.steps).flatMap(columnsOf);
  const known = table && [...new Set([...table.columns, ...filled])];
  const mustBeFilled = (column: string, by: readonly string[], path: readonly (string | number)[], isKey = false): void => {
    if (by.includes(column)) return;
    const near = nearest(column, by);
    found.push(
      complain("badValue", isKey ? document.atKey(path) : document.at(path), {
        problem: `No step ${by === asked ? "that asks a template " : ""}fills \`${column}\`. ${near ? `Did you mean \`${near}\`?` : `Filled: ${by.join(", ") || "none"}.`}`,
      }),
    );
  };
  const mustBeKnown = (columns: readonly string[], path: readonly (string | number)[]): void => {
    if (!known || !table) return;
    for (const column of columns)
      if (!known.includes(column) && !(column in (plan.related ?? {})))
        found.push(complain("unknownColumn", document.at(path), { name: column, table: table.name, known, near: nearest(column, known) }));
  };
  for (const [rule, { when, columns }] of Object.entries(plan.review?.hold ?? {})) {
    const at = ["review", "hold", rule];
    mustBeKnown(readTest(when, ["row", "answer"]).test?.members["row"] ?? [], at);
    for (const [index, column] of (columns ?? []).entries()) mustBeFilled(column, asked, [...at, "columns", index]);
  }
  for (const [index, column] of (plan.review?.release?.columns ?? []).entries())
    mustBeFilled(column, asked, ["review", "release", "columns", index]);
  for (const [index, column] of (plan.review?.spotCheck?.slices ?? []).entries())
    mustBeKnown([column], ["review", "spotCheck", "slices", index]);
  for (const column of Object.keys(plan.edits ?? {})) mustBeFilled(column, filled, ["edits", column], true);
  if (plan.freeze !== undefined) mustBeKnown(readCondition(plan.freeze).condition?.columns ?? [], ["freeze"]);
  return found;
}
