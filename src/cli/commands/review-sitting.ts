import { plural } from "../../core/ground/index.js";
import {
  decide,
  knownError,
  readReview,
  runJob,
  undoDecision,
  writeReview,
  type JobInput,
  type Project,
  type ReviewReport,
  type ReviewRow,
} from "../../jobs/index.js";
import { personAtTerminal, type Person } from "../person.js";
import { cut, good, heading, note, out, quiet, warn } from "../print/print.js";
import { printLegend, printWaiting } from "../print/review.js";
import { cameTold, filterOf, judgedOf, named, type ReviewOptions } from "./review-options.js";

const HELP = [
  "a accept all values   e edit some   r reject   g have it asked again, saying what is wrong",
  "l the rows that say the same, together   s later   u undo the last   q end (the same command goes on)",
];

/** One person's sitting at the rows that wait. */
export class Sitting {
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
