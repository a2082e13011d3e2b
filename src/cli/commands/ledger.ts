import { plural, YoroshiError } from "../../core/ground/index.js";
import { exportLedger, moveLedger, pruneLedger, runJob } from "../../jobs/index.js";
import { good, out, outJson } from "../print/print.js";
import { withProject, type CommonOptions } from "../with-project.js";

interface ExportOptions extends CommonOptions {
  readonly cells?: boolean | undefined;
  readonly decisions?: boolean | undefined;
  readonly rules?: boolean | undefined;
  readonly messages?: boolean | undefined;
  readonly names?: boolean | undefined;
}

/** `yoroshi ledger export`: all answers, or all cells, as JSON Lines or CSV. */
export async function exportAll(file: string, options: ExportOptions): Promise<number> {
  return withProject(options, async (project) => {
    const report = await runJob(exportLedger, project, {
      file,
      what: (["cells", "decisions", "rules", "messages"] as const).find((one) => options[one]) ?? "answers",
      names: options.names,
    });
    const { what, count } = report;
    if (options.json) outJson(report);
    else
      out(
        `${good("written")}  ${file}: ${what === "cells" ? plural(count, "row's cells", "rows' cells") : plural(count, what === "rules" ? "row" : what.slice(0, -1))}`,
      );
    return 0;
  });
}

interface PruneOptions extends CommonOptions {
  readonly olderThan?: number | undefined;
  readonly of?: string | undefined;
}

/** `yoroshi ledger prune`: forgets old answers that no cell rests on. */
export async function prune(options: PruneOptions): Promise<number> {
  return withProject(options, async (project) => {
    if (options.olderThan === undefined)
      throw new YoroshiError("badOption", { option: "--older-than", problem: "say how many days old an answer must be to be forgotten." });
    const report = await runJob(pruneLedger, project, { olderThanDays: options.olderThan, of: options.of });
    if (options.json) outJson(report);
    else out(`${good("forgotten")}  ${plural(report.forgotten, "answer")}. Every cell's own answer is kept.`);
    return 0;
  });
}

interface MoveOptions extends CommonOptions {
  readonly to: string;
  readonly schema?: string | undefined;
}

/** `yoroshi ledger move`: carries the ledger into a database, or back into its file. */
export async function move(options: MoveOptions): Promise<number> {
  return withProject(options, async (project) => {
    const report = await runJob(moveLedger, project, { to: options.to, schema: options.schema });
    if (options.json) outJson(report);
    else {
      const { rows } = report;
      out(
        `${good("moved")}  ${plural(rows["answers"] ?? 0, "answer")}, ${plural(rows["cells"] ?? 0, "row's cells", "rows' cells")}, ${plural(rows["runs"] ?? 0, "run")}; every row was read back and is the same.`,
      );
      out(`The ledger is ${report.to} now, and yoroshi.yaml says so. As it was it still stands in ${report.kept}.`);
    }
    return 0;
  });
}
