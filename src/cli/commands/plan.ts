import { existsSync } from "node:fs";
import path from "node:path";
import { YoroshiError } from "../../core/ground/index.js";
import { addStep, newPlan, pointPlan, runJob } from "../../jobs/index.js";
import { good, out, outJson, quiet, table } from "../print/print.js";
import { withProject, type CommonOptions } from "../with-project.js";

interface PlanOptions extends CommonOptions {
  readonly template?: string | undefined;
  readonly table?: string | undefined;
  readonly add?: string | undefined;
  readonly step?: string | undefined;
  readonly map?: readonly string[] | undefined;
  readonly sheet?: string | undefined;
  readonly headerRow?: number | undefined;
  readonly key?: readonly string[] | undefined;
  readonly carry?: boolean | undefined;
}

/** `yoroshi plan`: writes a plan, adds a step to one, or points one at the next file. */
export async function planCommand(plan: string, options: PlanOptions): Promise<number> {
  const map = mapOf(options.map);
  return withProject(options, async (project) => {
    const { template, table: typed, add, step, sheet, headerRow, key, carry } = options;
    // As typed where one stands; else from the project's folder.
    const file = typed !== undefined && existsSync(typed) ? path.resolve(typed) : typed;
    if (add !== undefined) {
      const report = await runJob(addStep, project, { plan, template: add, step, map });
      if (options.json) outJson(report);
      else printStep(`step \`${report.step}\` of ${report.file}`, report);
    } else if (template !== undefined && file !== undefined) {
      const report = await runJob(newPlan, project, { plan, template, file, sheet, headerRow, key, map });
      if (options.json) outJson(report);
      else printStep(`${report.file}, rows named by ${report.key.join(", ")}`, report);
    } else if (file !== undefined) {
      const report = await runJob(pointPlan, project, { plan, file, carry, map });
      if (options.json) outJson(report);
      else {
        out(`${good("written")}  ${report.file}: ${report.from} before, ${report.to} from now on`);
        out(
          table(
            ["the plan reads", `in ${report.to}`],
            Object.entries(report.columns).map(([column, there]) => [column, there === column ? quiet("the same") : there]),
          ),
        );
        out(
          quiet(
            report.carried
              ? "Edits and decisions go over to the rows with the same keys."
              : `Equal rows are not asked again; edits and decisions stay with ${report.from}, and come back with it.${report.isBack ? " Those of this table are back." : ""}`,
          ),
        );
      }
    } else {
      throw new YoroshiError("badOption", {
        option: "plan",
        problem:
          "say what is wanted: --table <file> for the next file, --template <name> --table <file> for a new plan, or --add <template>.",
      });
    }
    return 0;
  });
}

function printStep(
  what: string,
  { plan, inputs, fill }: { plan: string; inputs: Record<string, string>; fill: Record<string, string> },
): void {
  out(`${good("written")}  ${what}`);
  out(
    table(
      ["reads", "from the column"],
      Object.entries(inputs).map(([input, column]) => [input, column]),
    ),
  );
  out(
    table(
      ["fills the column", "with"],
      Object.entries(fill).map(([column, part]) => [column, part]),
    ),
  );
  out(quiet(`Guessed from names: look at it, then yoroshi try ${plan}.`));
}

function mapOf(given: readonly string[] = []): Record<string, string> {
  return Object.fromEntries(
    given.map((one) => {
      const at = one.indexOf("=");
      if (at < 1) throw new YoroshiError("badOption", { option: "--map", problem: `\`${one}\` is not NAME=COLUMN.` });
      return [one.slice(0, at).trim(), one.slice(at + 1).trim()];
    }),
  );
}
