import { inDatabase, type SourceDocument } from "../ground/index.js";
import { warning, type Warning } from "../template/index.js";
import type { KnownTable } from "./check-plan.js";
import { columnsOf, isTemplateStep, type Plan } from "./plan.js";

/** Goes through a plan that has no mistakes and has filled nothing yet: from then on its columns are its own. */
export function warnPlan({ table: source, steps }: Plan, document: SourceDocument, table: KnownTable): Warning[] {
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
