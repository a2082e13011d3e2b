import path from "node:path";
import { plural } from "../../core/ground/index.js";
import { reportPlan, runJob, type PlanReportTold } from "../../jobs/index.js";
import { openFile } from "../open-file.js";
import { heading, out, outJson, percent, quiet, table, warn } from "../print/print.js";
import { withProject, type CommonOptions } from "../with-project.js";

interface ReportOptions extends CommonOptions {
  readonly to?: string | undefined;
  readonly over?: string | undefined;
  readonly across?: string | undefined;
  readonly open?: boolean | undefined;
}

/** `yoroshi report`: how things stand in a plan's table, as one HTML file. */
export async function report(plan: string, { to, over, across, json, open, ...common }: ReportOptions): Promise<number> {
  return withProject({ ...common, json }, async (project) => {
    const told = await runJob(reportPlan, project, { plan, over, across, page: to ?? true });
    const file = told.file === undefined ? undefined : path.relative(process.cwd(), told.file) || told.file;
    if (json) outJson({ ...told, ...(file === undefined ? {} : { file }) });
    else print(told, file);
    if (open && told.file !== undefined) openFile(told.file);
    return 0;
  });
}

const SHOWN = 5;

function print({ plan, table: source, rows, columns, moved, passed, since, evidence }: PlanReportTold, file: string | undefined): void {
  out(heading(`Plan ${plan}`) + quiet(`  ${plural(rows, "row")} of ${source}`));
  out(
    table(
      ["column", "with a value", "what stands there most"],
      columns.map(({ column, rows: all, blank, shares, lengths }) => [
        column,
        String(all - blank),
        lengths
          ? `${lengths.least} to ${lengths.most} characters, ${lengths.mean} on average`
          : shares
              .slice(0, SHOWN)
              .map(({ value, share }) => `${value} ${percent(share)}`)
              .join(", "),
      ]),
      { right: [1], width: { 2: 80 } },
    ),
  );
  for (const { part, answers, atOnce, mended, never } of evidence)
    out(`  evidence of ${part}: of ${plural(answers, "answer")} ${atOnce} found at once, ${mended} after the mend, ${never} never`);
  if (since !== null) {
    const beyond = moved.filter(({ adjusted }) => adjusted < 0.05);
    out(
      `  since the last report (${since.slice(0, 16).replace("T", " ")} UTC): ${beyond.length === 0 ? "no shares have moved beyond chance" : warn(`shares have moved in ${beyond.map(({ column }) => column).join(", ")}`)}; ${plural(
        passed.reduce((sum, one) => sum + one.rows, 0),
        "value",
      )} became another`,
    );
  }
  if (file !== undefined) out(`  written: ${file}`);
}
