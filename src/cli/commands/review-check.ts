import { plural } from "../../core/ground/index.js";
import {
  drawCheck,
  judgeChecked,
  knownError,
  readCheck,
  runJob,
  showReview,
  writeReview,
  type JobInput,
  type Project,
  type RandomCheck,
} from "../../jobs/index.js";
import { personAtTerminal, type Person } from "../person.js";
import { good, note, out, outJson, quiet, warn } from "../print/print.js";
import { printFigures, printLegend, printToCheck } from "../print/review.js";
import { named, type ReviewOptions } from "./review-options.js";

/** The random check: a person says what is right before they see what the model said. */
export async function check(project: Project, plan: string, by: string, options: ReviewOptions): Promise<number> {
  const { step, rows, seed } = options;
  let open = await runJob(readCheck, project, { plan, step, rows });
  if (!open || (open.left === 0 && seed !== undefined)) {
    const drawn = await runJob(drawCheck, project, { plan, step, rows, seed, by });
    if (!options.json) {
      out(
        `${good("drawn")}  ${plural(drawn.rows, "row")} of ${drawn.population} that version ${drawn.version} and ${drawn.model} answered`,
      );
      if (drawn.needed !== null)
        out(
          drawn.rows < drawn.needed
            ? warn(
                `${drawn.rows} rows cannot release anything: even without any wrong one it takes ${drawn.needed}. Give --rows ${drawn.needed}, or go on and see.`,
              )
            : quiet(`Without any wrong one it takes ${plural(drawn.needed, "row")} to release the column.`),
        );
    }
    open = (await runJob(readCheck, project, { plan, step, rows }))!;
  }
  if (options.json) {
    outJson(open);
    return 0;
  }
  const person = personAtTerminal();
  let judged = 0;
  try {
    out(quiet("Say what is right before you see what the model said: a number or the value; y or n for words; s later, q end."));
    printLegend(open.columns);
    const passed = new Set<string>();
    while (open.rows.length > 0) {
      const row = open.rows.find(({ key }) => !passed.has(key));
      if (!row) break;
      printToCheck(row, `${open.judged + 1} of ${open.judged + open.left}`);
      const began = Date.now();
      const found = await judge(person, row, open);
      if (found === undefined) break;
      passed.add(row.key);
      if (Object.keys(found).length === 0) continue;
      const told = await judgeOne(project, {
        plan,
        step: open.step,
        key: row.key,
        found,
        judged: row.judged,
        by,
        tookMs: Date.now() - began,
      });
      if (told) {
        judged++;
        for (const column of told) out(good(`\`${column}\` is released: the check shows that it is good enough.`));
      }
      open = (await runJob(readCheck, project, { plan, step, rows, limit: 50 }))!;
    }
  } finally {
    person.close();
  }
  if (judged > 0) await runJob(writeReview, project, { plan, inPlace: options.inPlace });
  out(`\n${plural(judged, "row")} checked, ${open.left} still open. ${quiet("The same command goes on.")}\n`);
  printFigures(await runJob(showReview, project, { plan, names: options.names }));
  return 0;
}

/** What a person finds in a row; nothing where they pass it over; `undefined` where they end. */
async function judge(
  person: Person,
  row: RandomCheck["rows"][number],
  { columns }: RandomCheck,
): Promise<Record<string, string | boolean> | undefined> {
  const found: Record<string, string | boolean> = {};
  for (const { column, options, told, freeText } of columns.filter((one) => one.column in row.judged)) {
    const value = row.values?.[column];
    if (freeText) out(`  ${column}: ${String(value ?? "")}`);
    const hint = freeText
      ? "(right? y, n)"
      : options.length > 0
        ? `(${options.map((name, index) => `${index + 1} ${name}`).join(", ")})`
        : `(${told})`;
    for (;;) {
      const said = freeText ? await person.key(`${column} ${quiet(hint)} `) : await person.line(`${column} ${quiet(hint)}: `);
      if (said === undefined || said === "q") return undefined;
      if (said === "s") return {};
      if (freeText ? /^[yn]/i.test(said) : said !== "") {
        found[column] = freeText ? /^y/i.test(said) : named(options, said);
        break;
      }
    }
  }
  return found;
}

/** Keeps what was found and tells what the model had said; gives what is released; `undefined` where it could not be kept. */
async function judgeOne(project: Project, input: JobInput<typeof judgeChecked>): Promise<readonly string[] | undefined> {
  try {
    const report = await runJob(judgeChecked, project, input);
    for (const [column, { value, same }] of Object.entries(report.columns))
      if (typeof input.found[column] === "string")
        out(same ? good(`  ${column}: the model said the same`) : warn(`  ${column}: the model said ${value}`));
    return report.released;
  } catch (error) {
    const { code, message } = knownError(error);
    if (!["decisionUnfit", "answerMovedOn", "rowBusy"].includes(code)) throw error;
    note(warn(message));
    return undefined;
  }
}
