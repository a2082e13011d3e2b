import { visible } from "../print/visible.js";
import { createInterface } from "node:readline";
import { MARK_COLUMN, partPaths, plural, SET_COLUMN, YoroshiError, type NamedShape, type Option, type Prepared } from "../../core/index.js";
import {
  drawSamples,
  FROM_COLUMN,
  markOf,
  openSamples,
  saveSamples,
  sealSamples,
  type Project,
  type SamplesFile,
} from "../../project/index.js";
import { block, good, heading, note, out, outJson, quiet, warn } from "../print/print.js";
import { withProject, type CommonOptions } from "../with-project.js";

interface DrawCommandOptions extends CommonOptions {
  readonly rows?: number | undefined;
  readonly seed?: number | undefined;
  readonly balance?: string | undefined;
  readonly doubtful?: boolean | undefined;
  readonly samples?: string | undefined;
}

const DEFAULT_DRAW = 80;

/** `yoroshi samples draw`: rows of a plan's table to be labelled. */
export async function draw(plan: string, options: DrawCommandOptions): Promise<number> {
  return withProject(options, async (project) => {
    if (options.balance !== undefined && options.doubtful)
      throw new YoroshiError("badOption", { option: "--doubtful", problem: "a draw is balanced or goes by doubt, not both." });
    const seed = options.seed ?? 1;
    const wanted = options.rows ?? DEFAULT_DRAW;
    const { file, drawn, left } = await drawSamples(project, plan, {
      rows: wanted,
      seed,
      balance: options.balance,
      doubtful: options.doubtful,
      file: options.samples,
    });
    if (options.json) outJson({ plan, file, drawn, left, seed });
    else {
      out(
        `${good("drawn")}  ${plural(drawn, "row")} into ${file}${drawn < wanted ? quiet(options.doubtful ? "; no more answers have a confidence" : "; the table has no more that are not in it") : ""}`,
      );
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

const DEFAULT_SHARE = 30;

/** `yoroshi samples seal`: keeps a share of the samples for the last word. */
export async function seal(file: string, options: SealCommandOptions): Promise<number> {
  return withProject(options, async (project) => {
    const share = options.share ?? DEFAULT_SHARE;
    if (!(share > 0 && share < 100))
      throw new YoroshiError("badOption", { option: "--share", problem: "the share is a percentage above 0 and below 100." });
    const { sealed, rows } = await sealSamples(project, file, share / 100, options.seed ?? 1, options.balance);
    if (options.json) outJson({ file, sealed, rows });
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
    const name = options.template ?? file.replace(/^.*[\\/]/, "").replace(/\.csv$/i, "");
    const prepared = await project.prepare((await project.template(name)).template);
    const samples = await openSamples(project, file);
    const labelling = new Labelling(project, prepared, samples, options.as);
    const labelled = await labelling.run();
    if (options.json) outJson({ file, labelled, open: labelling.open.length });
    else out(`\n${plural(labelled, "row")} labelled, ${labelling.open.length} still open. ${quiet("The same command goes on.")}`);
    return 0;
  });
}

/** Columns of a samples file that tell of the sample, not of the row. */
const NOT_CONTEXT: readonly string[] = [MARK_COLUMN, SET_COLUMN, FROM_COLUMN];

const HELP = "a number or the value itself; Enter leaves it blank, s skips the row, u undoes the last row, q saves and ends";

/** One sitting of a person at a samples file. Every row is saved as soon as it is done. */
class Labelling {
  readonly #parts: readonly NamedShape[];
  readonly #inputs: readonly string[];
  /** Further columns of the file, by which a person knows the row. */
  readonly #context: readonly string[];
  readonly #skipped = new Set<Record<string, string>>();
  readonly #done: { readonly row: Record<string, string>; readonly before: Readonly<Record<string, string>> }[] = [];

  constructor(
    readonly project: Project,
    prepared: Prepared,
    readonly samples: SamplesFile,
    readonly person: string | undefined,
  ) {
    const paths = new Set(partPaths(prepared.template.answer));
    // Reasons and other free words are labelled only where the file has a column for them.
    this.#parts = prepared.parts.filter(
      (part) => paths.has(part.name) && (part.kind.freeText !== true || samples.columns.includes(part.name)),
    );
    this.#inputs = prepared.inputs.map(({ name }) => name);
    this.#context = samples.columns.filter(
      (column) =>
        !NOT_CONTEXT.includes(column) &&
        !this.#inputs.includes(column) &&
        !prepared.parts.some(({ name }) => column === name || column.startsWith(`${name}@`) || column.startsWith(`${name}.`)),
    );
    if (this.#parts.length === 0)
      throw new YoroshiError("samplesUnfit", { file: samples.file, problem: "the template's answer has no part that could be labelled." });
    for (const part of this.#parts) if (!samples.columns.includes(this.#column(part))) samples.columns.push(this.#column(part));
    if (!samples.columns.includes(MARK_COLUMN)) samples.columns.push(MARK_COLUMN);
  }

  get open(): Record<string, string>[] {
    return this.samples.rows.filter((row) => !this.#skipped.has(row) && this.#parts.some((part) => !row[this.#column(part)]?.trim()));
  }

  async run(): Promise<number> {
    const lines = createInterface({ input: process.stdin, terminal: false })[Symbol.asyncIterator]();
    const ask = async (question: string): Promise<string | undefined> => {
      process.stdout.write(visible(question));
      const { value, done } = await lines.next();
      return done ? undefined : String(value).trim();
    };
    out(quiet(HELP));
    for (const part of this.#parts) for (const line of legendOf(part)) out(line);
    for (let row = this.open[0]; row; row = this.open[0]) {
      const ended = await this.#labelRow(row, ask);
      if (ended === "quit") break;
    }
    await lines.return?.();
    return this.#done.length;
  }

  async #labelRow(row: Record<string, string>, ask: (question: string) => Promise<string | undefined>): Promise<"next" | "quit"> {
    const at = this.samples.rows.indexOf(row) + 1;
    out(`\n${heading(`Row ${at} of ${this.samples.rows.length}`)}  ${quiet(`${this.open.length} open`)}`);
    const context = this.#context.filter((column) => row[column]?.trim());
    if (context.length > 0) out(quiet(context.map((column) => `${column}: ${row[column]}`).join(" · ")));
    for (const input of this.#inputs) if (row[input]?.trim()) out(block(this.#inputs.length > 1 ? `${input}: ${row[input]}` : row[input]));
    const before = { ...row };
    for (const part of this.#parts) {
      for (;;) {
        const said = await ask(`${part.name} ${quiet(choicesOf(part))} `);
        if (said === undefined || said === "q") return "quit";
        if (said === "s") {
          Object.assign(row, before);
          this.#skipped.add(row);
          return "next";
        }
        if (said === "u") return this.#undo();
        const value = valueOf(part, said);
        if (value === undefined) {
          note(warn(`\`${said.slice(0, 40)}\` is no value of ${part.name}. ${HELP}.`));
          continue;
        }
        row[this.#column(part)] = value;
        break;
      }
    }
    // A row that was left wholly blank is done with for this sitting.
    if (this.#parts.every((part) => !row[this.#column(part)])) this.#skipped.add(row);
    else {
      row[MARK_COLUMN] = markOf(this.#inputs, row);
      this.#done.push({ row, before });
      if (this.open.includes(row)) this.#skipped.add(row);
    }
    await saveSamples(this.project, this.samples);
    return "next";
  }

  async #undo(): Promise<"next"> {
    const last = this.#done.pop();
    if (!last) note("There is nothing to undo.");
    else {
      for (const part of this.#parts) last.row[this.#column(part)] = last.before[this.#column(part)] ?? "";
      this.#skipped.delete(last.row);
      await saveSamples(this.project, this.samples);
      note("Undone.");
    }
    return "next";
  }

  #column(part: NamedShape): string {
    return this.person === undefined ? part.name : `${part.name}@${this.person}`;
  }
}

/** What is chosen one of, also where it may be null. */
const optionsFor = ({ kind, spec }: NamedShape): readonly Option[] => (kind.control === "oneOf" ? kind.options!(spec) : []);

/** What a part's options or points mean, a line each; options with the numbers by which they are given. */
function legendOf(part: NamedShape): string[] {
  const told = part.kind.control === "someOf" ? [] : (part.kind.meanings?.(part.spec) ?? []);
  if (!told.some(({ about }) => about)) return [];
  const isNumbered = optionsFor(part).length > 0;
  return [
    heading(part.name),
    ...told.map(({ name, about }, index) => `  ${isNumbered ? `${index + 1} ` : ""}${name}${about ? quiet(`  ${about}`) : ""}`),
  ];
}

function choicesOf(part: NamedShape): string {
  const options = optionsFor(part);
  if (options.length > 0) return `(${options.map(({ name }, index) => `${index + 1} ${name}`).join(", ")}):`;
  return `(${part
    .tell()
    .split("\n")[0]!
    .replace(/, where$/, "")}):`;
}

/** What a person typed, as a cell has it; "" for nothing, `undefined` for what does not fit. */
function valueOf(part: NamedShape, said: string): string | undefined {
  if (said === "") return "";
  const options = optionsFor(part);
  const numbered = /^\d+$/.test(said) ? options[Number(said) - 1]?.name : undefined;
  const reading = part.fromCell(numbered ?? said);
  return reading.ok && part.schema.safeParse(reading.value).success ? part.toCell(reading.value) : undefined;
}
