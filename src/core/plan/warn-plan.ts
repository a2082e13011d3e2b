import { inDatabase, type SourceDocument } from "../ground/index.js";
import { rowsToShow } from "../statistics/index.js";
import { warning, type Warning } from "../template/index.js";
import type { KnownTable } from "./known-table.js";
import { columnsOf, isTemplateStep, type Plan } from "./plan.js";

/** Goes through a plan that has no mistakes and has filled nothing yet: from then on its columns are its own. */
export function warnPlan(plan: Plan, document: SourceDocument, table: KnownTable): Warning[] {
  return [...warnColumns(plan, document, table), ...warnRelease(plan, document)];
}

function warnColumns({ table: source, steps }: Plan, document: SourceDocument, table: KnownTable): Warning[] {
  if (inDatabase(source) || source.items || source.groups) return [];
  return Object.entries(steps).flatMap(([name, step]) => {
    if (step.takes) return [];
    return columnsOf(step)
      .filter((column) => table.columns.includes(column))
      .map((column) =>
        warning("fillsSource", document.atKey(["steps", name, isTemplateStep(step) ? "fill" : "set", column]), {
          column,
          table: table.name,
        }),
      );
  });
}

/** A population so large that more of it would not change how many rows are needed. */
const LARGE = 1_000_000;

/** A random check of so few rows that it could not show what a release wants, before anybody has checked one. */
function warnRelease({ review }: Plan, document: SourceDocument): Warning[] {
  const { release, spotCheck } = review ?? {};
  if (!release || !spotCheck) return [];
  const { wrongAtMost, sure } = release;
  const needed = rowsToShow(LARGE, Math.floor(wrongAtMost * LARGE), sure, [1, 1 / wrongAtMost])!;
  return spotCheck.rows >= needed
    ? []
    : [warning("releaseOutOfReach", document.at(["review", "spotCheck", "rows"]), { rows: spotCheck.rows, needed, wrongAtMost, sure })];
}
