import { plural, YoroshiError } from "../../core/ground/index.js";
import {
  decide,
  drawCheck,
  exportReview,
  importReview,
  judgeChecked,
  keepAsSamples,
  knownError,
  readCheck,
  readReview,
  runJob,
  showReview,
  undoDecision,
  writeReview,
  type JobInput,
  type Project,
  type RandomCheck,
  type ReviewReport,
  type ReviewRow,
} from "../../jobs/index.js";
import { personAtTerminal, type Person } from "../person.js";
import { cut, good, heading, note, out, outJson, quiet, warn } from "../print/print.js";
import { printFigures, printLegend, printToCheck, printWaiting } from "../print/review.js";
import { whoIs } from "../who.js";
import { withProject, type CommonOptions } from "../with-project.js";

interface ReviewOptions extends CommonOptions {
  readonly step?: string | undefined;
  readonly rule?: string | undefined;
  readonly where?: string | undefined;
  readonly check?: boolean | undefined;
  readonly rows?: number | undefined;
  readonly seed?: number | undefined;
  readonly figures?: boolean | undefined;
  readonly names?: boolean | undefined;
  readonly only?: string | undefined;
  readonly accept?: boolean | undefined;
  readonly edit?: readonly string[] | undefined;
  readonly reject?: string | boolean | undefined;
  readonly again?: string | undefined;
  readonly undo?: string | undefined;
  readonly out?: string | undefined;
  readonly in?: string | undefined;
  readonly samples?: string | boolean | undefined;
  readonly as?: string | undefined;
  readonly inPlace?: boolean | undefined;
}

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

const filterOf = ({ step, rule, where }: ReviewOptions): Pick<JobInput<typeof readReview>, "step" | "rule" | "where"> => ({
  step,
  rule,
  where,
});

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

const judgedOf = ({ values }: ReviewRow): Record<string, string> =>
  Object.fromEntries(values.map(({ column, judged }) => [column, judged]));

function cameTold(came: "decided" | "open" | "disputed" | "askedAgain"): string {
  if (came === "open") return "waits for another to say the same";
  if (came === "disputed") return "is disputed";
  return came === "askedAgain" ? "is asked again at the next fill" : "decided";
}

const HELP = [
  "a accept all values   e edit some   r reject   g have it asked again, saying what is wrong",
  "l the rows that say the same, together   s later   u undo the last   q end (the same command goes on)",
];

/** One person's sitting at the rows that wait. */
class Sitting {
  readonly #acts: { readonly act: string; readonly key: string }[] = [];
  /** Rows that are not shown again in this sitting. */
  readonly #passed = new Set<string>();
  #decided = 0;

  constructor(
    readonly project: Project,
    readonly plan: string,
    readonly by: string,
    readonly options: ReviewOptions,
  ) {}

  async run(): Promise<number> {
    const person = personAtTerminal();
    try {
      let report = await this.#read();
      const waiting = sumOf(report);
      if (report.rows.length === 0) {
        out(waiting === 0 ? "Nothing waits for a decision." : "Nothing more waits for you that these options choose.");
        const forCheck = Object.values(report.held).reduce((sum, { check: rows }) => sum + rows, 0);
        if (forCheck > 0) out(quiet(`${plural(forCheck, "row")} wait for a random check: \`--check\`.`));
        return 0;
      }
      out(quiet(`${plural(waiting, "row")} to decide about; you are ${this.by}.`));
      for (const line of HELP) out(quiet(line));
      for (const step of new Set(report.rows.map((row) => row.step))) printLegend(report.columns[step] ?? []);
      for (let row = report.rows[0]; row; row = report.rows[0]) {
        printWaiting(row, `${sumOf(report)} to go`);
        const again = await this.#decide(person, row, report, Date.now());
        if (again === "end") break;
        report = await this.#read(again === "same" ? undefined : row);
      }
    } finally {
      person.close();
    }
    await this.#end();
    return 0;
  }

  /** The next row, of those that were not passed over. */
  async #read(after?: ReviewRow): Promise<ReviewReport> {
    const { plan, project, options, by } = this;
    let from = after && this.#passed.has(idOf(after)) ? { step: after.step, key: after.key } : undefined;
    for (;;) {
      const report = await runJob(readReview, project, { plan, ...filterOf(options), after: from, notBy: by, limit: 20 });
      const rows = report.rows.filter((row) => !this.#passed.has(idOf(row)));
      const last = report.rows.at(-1);
      if (rows.length > 0 || !last) return { ...report, rows };
      from = { step: last.step, key: last.key };
    }
  }

  async #decide(person: Person, row: ReviewRow, report: ReviewReport, began: number): Promise<"next" | "same" | "end"> {
    const said = (await person.key(`${heading("?")} `))?.toLowerCase();
    if (said === undefined || said === "q") return "end";
    const all = (one: JobInput<typeof decide>["columns"][string]): JobInput<typeof decide>["columns"] =>
      Object.fromEntries(row.values.map(({ column }) => [column, one]));
    if (said === "s") {
      this.#passed.add(idOf(row));
      return "next";
    }
    if (said === "a") return this.#give(row, all({ how: "accept" }), began);
    if (said === "u") return this.#undo();
    if (said === "l") return this.#alike(person, row);
    if (said === "r") {
      const reason = await person.line("Why? ");
      return reason === undefined ? "end" : this.#give(row, all({ how: "reject", reason }), began);
    }
    if (said === "g") {
      const says = await person.line("What is wrong with it? The model is told: ");
      if (says === undefined) return "end";
      return says === "" ? "same" : this.#give(row, all({ how: "askAgain", says }), began);
    }
    if (said === "e") return this.#edit(person, row, report, began);
    for (const line of HELP) out(quiet(line));
    return "same";
  }

  async #edit(person: Person, row: ReviewRow, report: ReviewReport, began: number): Promise<"next" | "same" | "end"> {
    const columns: JobInput<typeof decide>["columns"] = {};
    for (const { column, value } of row.values) {
      const options = report.columns[row.step]?.find((one) => one.column === column)?.options ?? [];
      const choices = options.length > 0 ? ` (${options.map((name, index) => `${index + 1} ${name}`).join(", ")})` : "";
      const given = await person.line(`${column}${quiet(choices)} [${cut(String(value), 40)}]: `);
      if (given === undefined) return "end";
      columns[column] = given === "" ? { how: "accept" } : { how: "edit", value: named(options, given) };
    }
    return this.#give(row, columns, began);
  }

  async #give(row: ReviewRow, columns: JobInput<typeof decide>["columns"], began: number): Promise<"next" | "same"> {
    try {
      const { plan, by } = this;
      const tookMs = Date.now() - began;
      const report = await runJob(decide, this.project, { plan, step: row.step, key: row.key, columns, judged: judgedOf(row), by, tookMs });
      this.#acts.push({ act: report.act, key: row.key });
      this.#decided++;
      const others = Object.entries(report.columns).filter(([, came]) => came !== "decided");
      for (const [column, came] of others) note(`${column} ${cameTold(came)}`);
      if (others.length > 0) this.#passed.add(idOf(row));
      return "next";
    } catch (error) {
      const { code, message } = knownError(error);
      if (!["decisionUnfit", "answerMovedOn", "rowBusy", "nothingToDecide"].includes(code)) throw error;
      note(warn(message));
      return code === "decisionUnfit" ? "same" : "next";
    }
  }

  /** Rows that say the same are shown together and decided together, never in silence. */
  async #alike(person: Person, row: ReviewRow): Promise<"next" | "same" | "end"> {
    const { plan, project, options, by } = this;
    const found: ReviewRow[] = [];
    for (let after: { step: string; key: string } | undefined; ;) {
      const { rows } = await runJob(readReview, project, {
        plan,
        ...filterOf(options),
        step: row.step,
        like: row.like,
        after,
        notBy: by,
        limit: 200,
      });
      found.push(...rows);
      if (rows.length < 200) break;
      after = { step: rows.at(-1)!.step, key: rows.at(-1)!.key };
    }
    for (const one of found.slice(0, 30))
      out(`  ${one.key}  ${quiet(cut(one.reads.map((column) => one.row[column] ?? "").join(" · "), 90))}`);
    if (found.length > 30) out(quiet(`  … and ${found.length - 30} more`));
    const said = await person.key(`Accept all ${found.length}, each with its own words? y/n `);
    if (said === undefined) return "end";
    if (said.toLowerCase() !== "y") return "same";
    const began = Date.now();
    for (const one of found)
      await this.#give(one, Object.fromEntries(one.values.map(({ column }) => [column, { how: "accept" as const }])), began);
    out(`${good("accepted")}  ${plural(found.length, "row")}`);
    return "next";
  }

  async #undo(): Promise<"same"> {
    const last = this.#acts.pop();
    if (!last) note("There is nothing to undo in this sitting.");
    else {
      await runJob(undoDecision, this.project, { plan: this.plan, act: last.act, by: this.by });
      this.#decided--;
      this.#passed.clear();
      note(`Taken back: ${last.key}.`);
    }
    return "same";
  }

  async #end(): Promise<void> {
    const { plan, project, options } = this;
    if (this.#decided === 0) return out("\nNothing was decided.");
    const { written, target } = await runJob(writeReview, project, { plan, inPlace: options.inPlace });
    out(
      `\n${good("decided")}  ${plural(this.#decided, "row")}${written ? `; ${target} is written` : ""}. ${quiet("The same command goes on.")}`,
    );
  }
}

const idOf = ({ step, key }: ReviewRow): string => JSON.stringify([step, key]);
const sumOf = ({ held }: ReviewReport): number => Object.values(held).reduce((sum, { person }) => sum + person, 0);
const named = (options: readonly string[], said: string): string => (/^\d+$/.test(said) ? (options[Number(said) - 1] ?? said) : said);

/** The random check: a person says what is right before they see what the model said. */
async function check(project: Project, plan: string, by: string, options: ReviewOptions): Promise<number> {
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
