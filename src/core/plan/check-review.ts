import { complain, nearest, readTest, type Complaint, type SourceDocument, type Test } from "../ground/index.js";
import type { Template } from "../template/index.js";
import type { KnownTable } from "./known-table.js";
import { withAfterStep } from "./after-rules.js";
import { OF_ANSWER } from "./condition-advice.js";
import { readCondition } from "./condition.js";
import { columnsOf, templateSteps, writerOf, type Plan } from "./plan.js";

/** Holds what a plan says of review, of owners and of what is offered against the columns that it fills, and those of its table. */
export function checkReview(
  plan: Plan,
  templates: Readonly<Record<string, Template>>,
  document: SourceDocument,
  table: KnownTable | undefined,
): Complaint[] {
  const found: Complaint[] = [];
  const asked = templateSteps(plan).flatMap(({ step }) => columnsOf(step));
  const filled = Object.values(withAfterStep(plan).steps).flatMap(columnsOf);
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
    const { test } = readTest(when, ["row", "answer"]);
    if (!test) continue;
    mustBeKnown(test.membersOf("row"), at);
    found.push(...answerFaults(test, columns, plan, templates, document, at));
    for (const [index, column] of (columns ?? []).entries()) mustBeFilled(column, asked, [...at, "columns", index]);
  }
  for (const [index, column] of (plan.review?.release?.columns ?? []).entries())
    mustBeFilled(column, asked, ["review", "release", "columns", index]);
  for (const [index, column] of (plan.review?.spotCheck?.slices ?? []).entries())
    mustBeKnown([column], ["review", "spotCheck", "slices", index]);
  for (const column of Object.keys(plan.edits ?? {})) mustBeFilled(column, filled, ["edits", column], true);
  for (const [index, column] of (plan.offer?.columns ?? []).entries()) mustBeKnown([column], ["offer", "columns", index]);
  if (plan.freeze !== undefined) mustBeKnown(readCondition(plan.freeze).condition?.columns ?? [], ["freeze"]);
  return found;
}

/**
 * What a rule says of the answer. Of a part that no template asks for it would hold every row, and of what no single answer has, none.
 */
function answerFaults(
  test: Test,
  columns: readonly string[] | undefined,
  plan: Plan,
  templates: Readonly<Record<string, Template>>,
  document: SourceDocument,
  at: readonly string[],
): Complaint[] {
  const steps = templateSteps(plan).filter(({ name }) => name in templates);
  // A template that cannot be read is complained of by itself.
  if (steps.length < templateSteps(plan).length) return [];
  const partsOf = (name: string): string[] => Object.keys(templates[name]!.answer);
  const known = [...new Set(steps.flatMap(({ name }) => partsOf(name)))];
  const parts = test.membersOf("answer", "parts");
  const odd = (problem: string): Complaint => complain("badValue", document.at(at), { problem });
  const unknown = parts.filter((part) => !known.includes(part));
  if (unknown.length > 0)
    return unknown.map((name) => complain("unknownPart", document.at(at), { name, known, near: nearest(name, known) }));
  const other = test.membersOf("answer").find((member) => !OF_ANSWER.includes(member));
  if (other !== undefined) return [odd(`\`answer.${other}\` is none of \`answer.parts\`, \`answer.confidence\` and \`answer.notes\`.`)];
  const having = steps.filter(({ name }) => parts.every((part) => partsOf(name).includes(part)));
  if (having.length === 0)
    return [odd(`No single answer has the parts \`${parts.join("`, `")}\`. Write \`row.\` and a column for those of another step.`)];
  if (test.membersOf("answer").includes("confidence") && !having.some(({ name }) => templates[name]!.doubt))
    return [odd("`answer.confidence` is known only where the template has `doubt`; without it the rule would hold every row.")];
  // A rule is tried on the answer that fills its columns, or the last of those that it reads.
  const named = columns ?? test.membersOf("row");
  const writers = steps.filter(({ step }) => columnsOf(step).some((column) => named.includes(column)));
  const isTried = columns ? writers.some((writer) => having.includes(writer)) : writers.every((writer) => having.includes(writer));
  if (parts.length === 0 || writers.length === 0 || isTried) return [];
  const others = named.filter(
    (column) => !having.some(({ step }) => columnsOf(step).includes(column)) && writerOf(plan, column) !== undefined,
  );
  return [
    odd(
      `The answer that has \`${parts.join("`, `")}\` does not fill \`${others.join("`, `")}\`. Write \`row.\` and a column for all of them.`,
    ),
  ];
}
