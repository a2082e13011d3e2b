import { plural, YoroshiError } from "../../core/ground/index.js";
import {
  decide,
  exportReview,
  importReview,
  keepAsSamples,
  knownError,
  readReview,
  runJob,
  showReview,
  undoDecision,
  writeReview,
  type JobInput,
  type Project,
} from "../../jobs/index.js";
import { good, note, out, outJson, quiet, warn } from "../print/print.js";
import { printFigures } from "../print/review.js";
import { whoIs } from "../who.js";
import { withProject } from "../with-project.js";
import { check } from "./review-check.js";
import { cameTold, filterOf, judgedOf, type ReviewOptions } from "./review-options.js";
import { Sitting } from "./review-sitting.js";

/** `yoroshi review`: a person decides about values that are held, and finds how wrong a column is. */
export async function review(plan: string, options: ReviewOptions): Promise<number> {
  return withProject(options, async (project) => {
    const by = whoIs(options.as);
    if (options.figures) return figures(project, plan, options);
    if (options.out !== undefined) return exported(project, plan, options.out, options);
    if (options.in !== undefined) return imported(project, plan, options.in, by, options);
    if (options.samples !== undefined) return toSamples(project, plan, options);
    if (options.undo !== undefined) return undone(project, plan, options.undo, by, options);
    if (options.only !== undefined) return decided(project, plan, options.only, by, options);
    if (options.check) return check(project, plan, by, options);
    if (options.json) {
      outJson(await runJob(readReview, project, { plan, ...filterOf(options), limit: options.rows }));
      return 0;
    }
    return new Sitting(project, plan, by, options).run();
  });
}

async function figures(project: Project, plan: string, { names, json }: ReviewOptions): Promise<number> {
  const report = await runJob(showReview, project, { plan, names });
  if (json) outJson(report);
  else printFigures(report);
  return 0;
}

async function exported(project: Project, plan: string, file: string, options: ReviewOptions): Promise<number> {
  const report = await runJob(exportReview, project, { plan, file, ...filterOf(options) });
  if (options.json) outJson(report);
  else {
    out(`${good("written")}  ${file}: ${plural(report.rows, "row")} to decide about`);
    out(quiet(`Choose in \`decision\`, or write another value; then \`yoroshi review ${plan} --in ${file}\`.`));
  }
  return 0;
}

async function imported(project: Project, plan: string, file: string, by: string, options: ReviewOptions): Promise<number> {
  const report = await runJob(importReview, project, { plan, file, by });
  const wrote = report.decided > 0 ? await runJob(writeReview, project, { plan, inPlace: options.inPlace }) : undefined;
  if (options.json) outJson({ ...report, written: wrote?.written ?? false });
  else {
    out(`${good("decided")}  ${plural(report.decided, "row")} of ${report.rows}; ${report.undecided} without a decision`);
    if (report.open > 0) out(`${plural(report.open, "row")} wait for another person to say the same`);
    if (report.movedOn.length > 0)
      out(
        warn(
          `${plural(report.movedOn.length, "row")} left: changed or decided since the file was written: ${report.movedOn.slice(0, 10).join(", ")}`,
        ),
      );
    for (const { place, key, problem } of report.problems.slice(0, 20)) note(`${place}, ${key}: ${problem}`);
    if (report.problems.length > 20) note(`… and ${report.problems.length - 20} more`);
    if (wrote?.written) out(quiet(`${wrote.target} is written.`));
  }
  return report.problems.length > 0 ? 1 : 0;
}

async function toSamples(project: Project, plan: string, { step, samples, json }: ReviewOptions): Promise<number> {
  const report = await runJob(keepAsSamples, project, { plan, step, samples: typeof samples === "string" ? samples : undefined });
  if (json) outJson(report);
  else {
    const { file, added, completed, movedOn } = report;
    out(`${good("kept")}  ${plural(added, "new sample")} in ${file}, ${plural(completed, "row")} completed`);
    if (movedOn > 0) out(quiet(`${plural(movedOn, "row")} left out: changed since they were decided.`));
  }
  return 0;
}

async function undone(project: Project, plan: string, which: string, by: string, options: ReviewOptions): Promise<number> {
  // An act is named as it was printed; all else is a row's key.
  const report = await runJob(undoDecision, project, { plan, act: which, by }).catch((error: unknown) => {
    if (knownError(error).code !== "notFound") throw error;
    return runJob(undoDecision, project, { plan, key: which, by });
  });
  const wrote = await runJob(writeReview, project, { plan, inPlace: options.inPlace });
  if (options.json) outJson({ ...report, written: wrote.written });
  else {
    out(`${good("taken back")}  ${report.key}: ${report.columns.join(", ") || "nothing"}`);
    if (report.movedOn.length > 0) out(warn(`${report.movedOn.join(", ")} left: answered or decided anew since`));
  }
  return 0;
}

/** What options say about one row, for scripts. */
async function decided(project: Project, plan: string, key: string, by: string, options: ReviewOptions): Promise<number> {
  const said = [options.accept, options.edit, options.reject, options.again].filter((one) => one !== undefined);
  if (said.length === 0)
    throw new YoroshiError("badOption", {
      option: "--only",
      problem: "say what is decided: --accept, --edit <column=value>, --reject or --again <what is wrong>.",
    });
  const { rows } = await runJob(readReview, project, { plan, ...filterOf(options), limit: 1_000 });
  const row = rows.find((one) => one.key === key);
  if (!row) throw new YoroshiError("nothingToDecide", { plan, key });
  const edits = new Map((options.edit ?? []).map((one) => splitEdit(one)));
  const columns: JobInput<typeof decide>["columns"] = {};
  for (const { column } of row.values) {
    const value = edits.get(column);
    if (options.again !== undefined) columns[column] = { how: "askAgain", says: options.again };
    else if (value !== undefined) columns[column] = { how: "edit", value };
    else if (options.reject !== undefined)
      columns[column] = { how: "reject", ...(typeof options.reject === "string" ? { reason: options.reject } : {}) };
    else if (options.accept) columns[column] = { how: "accept" };
  }
  const foreign = [...edits.keys()].find((column) => !(column in columns));
  if (foreign !== undefined)
    throw new YoroshiError("badOption", { option: "--edit", problem: `\`${foreign}\` is not held in the row ${key}.` });
  const report = await runJob(decide, project, { plan, step: row.step, key, columns, judged: judgedOf(row), by });
  const wrote = await runJob(writeReview, project, { plan, inPlace: options.inPlace });
  if (options.json) outJson({ ...report, written: wrote.written });
  else
    out(
      `${good("decided")}  ${key}: ${Object.entries(report.columns)
        .map(([column, came]) => `${column} ${cameTold(came)}`)
        .join(", ")}`,
    );
  return 0;
}

function splitEdit(given: string): [string, string] {
  const at = given.indexOf("=");
  if (at < 1) throw new YoroshiError("badOption", { option: "--edit", problem: `\`${given}\` is not COLUMN=VALUE.` });
  return [given.slice(0, at), given.slice(at + 1)];
}
