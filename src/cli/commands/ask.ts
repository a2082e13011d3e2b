import { formatMoney, plural } from "../../core/ground/index.js";
import { askTable, keepQuestion, runJob, type InquiryReport } from "../../jobs/index.js";
import { heading, note, out, outJson, quiet, standinNote, table, warn } from "../print/print.js";
import { withProject, type CommonOptions } from "../with-project.js";

interface AskOptions extends CommonOptions {
  readonly list?: boolean | undefined;
  readonly fresh?: boolean | undefined;
  readonly rows?: number | undefined;
  readonly keep?: string | undefined;
}

/** `yoroshi ask`: a question about a table, in plain words. */
export async function ask(of: string, question: string, options: AskOptions): Promise<number> {
  return withProject(options, async (project) => {
    const { list, fresh, rows } = options;
    const report = await runJob(askTable, project, { of, question, list, fresh, rows });
    // What cannot be counted is no question to keep.
    const kept =
      options.keep === undefined || report.back ? undefined : await runJob(keepQuestion, project, { of, question, plan: options.keep });
    if (options.json) outJson(kept ? { ...report, kept } : report);
    else {
      print(report, project.settings.currency, rows);
      if (kept)
        note(
          `Kept as ${kept.key} in ${kept.table}${kept.isNew ? `; ${kept.file} is new` : ""}. \`yoroshi fill ${kept.plan}\` answers it, and again when ${of} has changed.`,
        );
      else if (options.keep !== undefined) note(warn("Not kept: say it in other words first."));
    }
    return report.back ? 1 : 0;
  });
}

const COLUMNS_SHOWN = 5;

function print(report: InquiryReport, currency: string, wanted: number | undefined): void {
  const { back, value, groups, answer, unfounded = [], counted, where, matched, shown, unclear, problem } = report;
  if (back) {
    out(`${warn("cannot be counted so")}  ${back.problem}`);
    if (back.readings.length > 0) out(`  Do you mean: ${back.readings.join("; ")}?`);
  } else {
    if (groups)
      out(
        table(
          [report.by ?? "", report.figure ?? "", "rows"],
          groups.map((group) => [group.value, String(group.figure), group.rows]),
          { right: [1, 2] },
        ),
      );
    else if (answer !== undefined) {
      out(answer);
      out(warn("  read by a model from the rows, not counted"));
      if (unfounded.length > 0) out(warn(`  these numbers stand in no row: ${unfounded.join(", ")}`));
    } else if (report.what === "list") out(heading(plural(matched, "row")));
    else out(heading(value === null ? "nothing to tell" : figureText(value, counted)));
    out(quiet(`  ${counted}`));
    if (where !== undefined) out(quiet(`  ${where}`));
    if (unclear > 0) out(warn(`  ${plural(unclear, "row")} could not count: ${problem}`));
    const few = shown.slice(0, wanted ?? (report.what === "list" ? shown.length : COLUMNS_SHOWN));
    if (few.length > 0 && !groups) printRows(report, few);
  }
  note(
    quiet(
      `${report.known ? "The reading was known; nothing was asked." : `${formatMoney(Math.round(report.spent * 1e6), currency)} spent.`}`,
    ),
  );
  const standin = standinNote(report.standin);
  if (standin) note(standin);
}

function figureText(value: string | number | boolean, counted: string): string {
  return typeof value === "number" && counted.startsWith("share")
    ? `${(100 * value).toFixed(1)} %`
    : typeof value === "number"
      ? value.toLocaleString("en", { maximumFractionDigits: 4 })
      : String(value);
}

/** The rows behind the answer: the columns that it is about, then what else fits. */
function printRows({ matched, where = "" }: InquiryReport, shown: InquiryReport["shown"]): void {
  const all = Object.keys(shown[0]!.row);
  const about = all.filter((column) => where.includes(column));
  // The key stands before all others.
  const isKey = (column: string): boolean => shown.every(({ key, row }) => row[column] === key);
  const columns = [...new Set([...about, ...all])].filter((column) => !isKey(column)).slice(0, COLUMNS_SHOWN);
  out("");
  out(
    table(
      ["row", ...columns],
      shown.map(({ key, row }) => [key, ...columns.map((column) => row[column] ?? "")]),
      { width: Object.fromEntries(columns.map((_, index) => [index + 1, 28])) },
    ),
  );
  if (matched > shown.length) out(quiet(`… of ${plural(matched, "row")}; --rows N shows more.`));
}
