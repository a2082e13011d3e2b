import { plural } from "../../core/ground/index.js";
import {
  drawSamples,
  labelRow,
  readLabels,
  runJob,
  sealSamples,
  settleSamples,
  type LabelledPart,
  type LabelSheet,
  type Project,
} from "../../jobs/index.js";
import { personAtTerminal } from "../person.js";
import { block, good, heading, note, out, outJson, quiet, warn } from "../print/print.js";
import { withProject, type CommonOptions } from "../with-project.js";

interface DrawCommandOptions extends CommonOptions {
  readonly step?: string | undefined;
  readonly rows?: number | undefined;
  readonly seed?: number | undefined;
  readonly balance?: string | undefined;
  readonly doubtful?: boolean | undefined;
  readonly samples?: string | undefined;
}

/** `yoroshi samples draw`: rows of a plan's table to be labelled. */
export async function draw(plan: string, options: DrawCommandOptions): Promise<number> {
  return withProject(options, async (project) => {
    const { step, rows, seed, balance, doubtful, samples } = options;
    const report = await runJob(drawSamples, project, { plan, step, rows, seed, balance, doubtful, samples });
    if (options.json) outJson(report);
    else {
      const { file, drawn, wanted } = report;
      const fewer = doubtful ? "; no more answers have a confidence" : "; the table has no more that are not in it";
      out(`${good("drawn")}  ${plural(drawn, "row")} into ${file}${drawn < wanted ? quiet(fewer) : ""}`);
      if (drawn > 0)
        out(quiet(`Label them with \`yoroshi samples label ${file}\`, or fill in the columns of right values in any spreadsheet.`));
    }
    return 0;
  });
}

interface SealCommandOptions extends CommonOptions {
  readonly share?: number | undefined;
  readonly seed?: number | undefined;
  readonly balance?: string | undefined;
}

/** `yoroshi samples seal`: keeps a share of the samples for the last word. */
export async function seal(file: string, options: SealCommandOptions): Promise<number> {
  return withProject(options, async (project) => {
    const { share, seed, balance } = options;
    const report = await runJob(sealSamples, project, { file, share: share === undefined ? undefined : share / 100, seed, balance });
    const { sealed, rows } = report;
    if (options.json) outJson(report);
    else
      out(`${good("sealed")}  ${sealed} of ${plural(rows, "row")} in ${file}. Trials leave them alone until \`yoroshi trial … --sealed\`.`);
    return 0;
  });
}

interface LabelCommandOptions extends CommonOptions {
  readonly template?: string | undefined;
  readonly as?: string | undefined;
}

/** `yoroshi samples label`: a person gives right values row by row, without seeing what a model answered. */
export async function label(file: string, options: LabelCommandOptions): Promise<number> {
  return withProject(options, async (project) => {
    const about = { file, template: options.template, person: options.as };
    const labelling = new Labelling(project, about, await runJob(readLabels, project, about));
    const labelled = await labelling.run();
    if (options.json) outJson({ file, labelled, open: labelling.open.length });
    else out(`\n${plural(labelled, "row")} labelled, ${labelling.open.length} still open. ${quiet("The same command goes on.")}`);
    return 0;
  });
}

const HELP = "a number or the value itself; Enter leaves it blank, s skips the row, u undoes the last row, q saves and ends";

type LabelRow = LabelSheet["rows"][number];
type Labels = Readonly<Record<string, string>>;

/** One sitting of a person at a samples file. Every row is saved as soon as it is done. */
class Labelling {
  readonly #rows: LabelRow[];
  /** Rows that are not asked about again in this sitting. */
  readonly #passed = new Set<number>();
  readonly #done: { readonly row: number; readonly before: Labels }[] = [];

  constructor(
    readonly project: Project,
    readonly about: { readonly file: string; readonly template: string | undefined; readonly person: string | undefined },
    readonly sheet: LabelSheet,
  ) {
    this.#rows = [...sheet.rows];
  }

  get open(): LabelRow[] {
    return this.#rows.filter(({ row, open }) => open && !this.#passed.has(row));
  }

  async run(): Promise<number> {
    const person = personAtTerminal();
    out(quiet(HELP));
    // What the model is shown, too: the task, and what options and points mean.
    out(block(this.sheet.task.trim()));
    for (const part of this.sheet.parts) for (const line of legendOf(part)) out(line);
    try {
      for (let row = this.open[0]; row; row = this.open[0]) {
        if ((await this.#labelRow(row, (question) => person.line(question))) === "quit") break;
      }
    } finally {
      person.close();
    }
    return this.#done.length;
  }

  async #labelRow(row: LabelRow, ask: (question: string) => Promise<string | undefined>): Promise<"next" | "quit"> {
    this.#show(row);
    const began = Date.now();
    const given: Record<string, string> = {};
    for (const part of this.sheet.parts) {
      for (;;) {
        const said = await ask(`${part.name} ${quiet(choicesOf(part))} `);
        if (said === undefined || said === "q") return "quit";
        if (said === "u") return this.#undo();
        if (said === "s") {
          this.#passed.add(row.row);
          return "next";
        }
        const value = namedBy(part, said);
        if (await this.#fits(row, part, value)) {
          given[part.name] = value;
          break;
        }
        note(warn(`\`${said.slice(0, 40)}\` is no value of ${part.name}. ${HELP}.`));
      }
    }
    // A row that was left wholly blank is done with for this sitting.
    this.#passed.add(row.row);
    if (Object.values(given).some((value) => value !== "")) {
      await this.#give(row, given, Date.now() - began);
      this.#done.push({ row: row.row, before: row.labels });
    }
    return "next";
  }

  #show({ row, context, inputs }: LabelRow): void {
    out(`\n${heading(`Row ${row} of ${this.#rows.length}`)}  ${quiet(`${this.open.length} open`)}`);
    const known = Object.entries(context).map(([column, value]) => `${column}: ${value}`);
    if (known.length > 0) out(quiet(known.join(" · ")));
    for (const [input, value] of Object.entries(inputs)) out(block(this.sheet.inputs.length > 1 ? `${input}: ${value}` : value));
  }

  async #undo(): Promise<"next"> {
    const last = this.#done.pop();
    if (!last) note("There is nothing to undo.");
    else {
      const blank = Object.fromEntries(this.sheet.parts.map(({ name }) => [name, ""]));
      await this.#give(this.#rows[last.row - 1]!, { ...blank, ...last.before });
      this.#passed.delete(last.row);
      note("Undone.");
    }
    return "next";
  }

  async #fits({ row, mark }: LabelRow, { name }: LabelledPart, value: string): Promise<boolean> {
    const report = await runJob(labelRow, this.project, { ...this.about, row, mark, values: { [name]: value }, save: false });
    return report.unfit.length === 0;
  }

  async #give({ row, mark }: LabelRow, values: Labels, tookMs?: number): Promise<void> {
    const {
      row: number,
      mark: now,
      context,
      inputs,
      labels,
      open,
    } = await runJob(labelRow, this.project, {
      ...this.about,
      row,
      mark,
      values,
      tookMs,
    });
    this.#rows[number - 1] = { row: number, mark: now, context, inputs, labels, open };
  }
}

interface SettleOptions extends CommonOptions {
  readonly template?: string | undefined;
}

/** `yoroshi samples settle`: two people's labels are brought together; where they differ, a third pass says what is right. */
export async function settle(file: string, options: SettleOptions): Promise<number> {
  return withProject(options, async (project) => {
    const { template } = options;
    const report = await runJob(settleSamples, project, { file, template });
    if (options.json) {
      outJson(report);
      return 0;
    }
    const { people, taken, stood, disputes, parts } = report;
    out(
      `${good("taken")}  ${plural(taken, "value")} on which ${people.join(" and ")} agree${stood > 0 ? quiet(`; ${stood} stood already`) : ""}`,
    );
    if (disputes.length === 0) return 0;
    out(quiet(`${plural(disputes.length, "value")} on which they do not: a number or the value itself; Enter leaves it, q ends.`));
    const person = personAtTerminal();
    let settled = 0;
    try {
      for (const one of disputes) {
        const part = parts.find(({ name }) => name === one.part)!;
        out(
          `\n${heading(`Row ${one.row}`)}  ${quiet(
            Object.entries(one.context)
              .map(([column, value]) => `${column}: ${value}`)
              .join(" · "),
          )}`,
        );
        for (const value of Object.values(one.inputs)) out(block(value));
        for (const [who, said] of Object.entries(one.said)) out(`  ${who}: ${said}`);
        const said = await person.line(`${one.part} ${quiet(choicesOf(part))} `);
        if (said === undefined || said === "q") break;
        if (said === "") continue;
        const saved = await runJob(labelRow, project, {
          file,
          template,
          row: one.row,
          mark: one.mark,
          values: { [one.part]: namedBy(part, said) },
        });
        if (saved.saved) settled++;
        else note(warn(`\`${said.slice(0, 40)}\` is no value of ${one.part}.`));
      }
    } finally {
      person.close();
    }
    out(`\n${plural(settled, "value")} settled, ${disputes.length - settled} still open. ${quiet("The same command goes on.")}`);
    return 0;
  });
}

/** What a part's options or points mean, a line each; options with the numbers by which they are given. */
function legendOf({ name, meanings, options }: LabelledPart): string[] {
  if (!meanings.some(({ about }) => about)) return [];
  return [
    heading(name),
    ...meanings.map((one, index) => `  ${options.length > 0 ? `${index + 1} ` : ""}${one.name}${one.about ? quiet(`  ${one.about}`) : ""}`),
  ];
}

function choicesOf({ options, told }: LabelledPart): string {
  return options.length > 0 ? `(${options.map((name, index) => `${index + 1} ${name}`).join(", ")}):` : `(${told}):`;
}

/** What a person typed: an option by its number, else as it is. */
const namedBy = ({ options }: LabelledPart, said: string): string => (/^\d+$/.test(said) ? (options[Number(said) - 1] ?? said) : said);
