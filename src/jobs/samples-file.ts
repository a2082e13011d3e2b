import { existsSync } from "node:fs";
import { mkdir, rename, writeFile } from "node:fs/promises";
import path from "node:path";
import { stringify } from "csv-stringify/sync";
import {
  columnsOf,
  defangCopied,
  drawRows,
  drawSealed,
  inputCells,
  inputsMark,
  joinKey,
  MARK_COLUMN,
  refanged,
  SEALED,
  SET_COLUMN,
  templateSteps,
  YoroshiError,
  type CellRecord,
  type Drawable,
  type DrawWay,
  type Row,
} from "../core/index.js";
import { insideProject, type Project } from "../project/index.js";

/** A samples file as text, to be changed and written back. */
export interface SamplesFile {
  readonly file: string;
  readonly columns: string[];
  readonly rows: Record<string, string>[];
}

export interface DrawOptions {
  /** The plan's step whose inputs are drawn. Default: its first template step. */
  readonly step?: string | undefined;
  readonly rows: number;
  readonly seed: number;
  /** A column of the table, or of what has been filled, over which the draw is balanced. */
  readonly balance?: string | undefined;
  /** The rows whose answers are most doubtful. */
  readonly doubtful?: boolean | undefined;
  readonly file?: string | undefined;
}

export const FROM_COLUMN = "drawnFrom";
/** More rows than this are not gone through for a draw. */
const MOST_ROWS = 2_000_000;

/**
 * Draws rows of a plan's table into the template's samples file, with blank columns for the right values, and without
 * rows that are in the file already (by key, or by the same inputs).
 */
export async function drawIntoFile(
  project: Project,
  planName: string,
  options: DrawOptions,
): Promise<{ file: string; drawn: number; left: number }> {
  const { setup } = await project.fillSetup(planName, { asks: false });
  const { plan, table, ledger } = setup;
  const stepName = options.step ?? templateSteps(plan)[0]?.name ?? "";
  const asking = setup.asking[stepName];
  if (!asking)
    throw new YoroshiError("badOption", {
      option: "--step",
      problem: `the plan has no template step \`${stepName}\`. Steps: ${Object.keys(setup.asking).join(", ")}.`,
    });
  const { prepared } = asking;
  const file = project.samplesFile(prepared.template.name, options.file);
  const before = existsSync(path.resolve(project.root, file)) ? await openSamples(project, file) : undefined;
  const { keyColumns } = table;
  const inputs = prepared.inputs.map(({ name }) => name);
  const known = new Set(
    (before?.rows ?? []).flatMap((row) => [joinKey(keyColumns.map((column) => row[column] ?? "")), markOf(inputs, row)]),
  );
  const columns = await table.columns();
  const filled = columnsOf(plan.steps[stepName]!);
  if (options.balance !== undefined && !columns.includes(options.balance) && !filled.includes(options.balance)) {
    throw new YoroshiError("badOption", {
      option: "--balance",
      problem: `neither ${table.name} nor what the plan fills has a column \`${options.balance}\`. Columns: ${[...columns, ...filled].join(", ")}.`,
    });
  }
  // What a draw is balanced over is carried, to be told apart by; never what a model gave in place of a right value.
  const carried =
    options.balance === undefined || [...inputs, ...keyColumns, ...prepared.parts.map(({ name }) => name)].includes(options.balance)
      ? undefined
      : options.balance;
  const candidates: (Drawable & { readonly keys: Record<string, string>; readonly cells: Record<string, string> })[] = [];
  const marks = new Set<string>();
  for await (const { rows } of table.read()) {
    const records = await ledger.cells.find(
      plan.name,
      stepName,
      rows.map((row) => row.key),
    );
    const doubts = options.doubtful ? await doubtsOf(project, rows, records) : new Map<string, number>();
    for (const row of rows) {
      if (row.problem !== undefined || candidates.length >= MOST_ROWS) continue;
      const { cells: given } = await inputCells(setup, row, stepName);
      const cells = Object.fromEntries(inputs.map((input) => [input, given[input] ?? ""]));
      const mark = markOf(inputs, cells);
      if (known.has(row.key) || known.has(mark) || marks.has(mark) || inputs.every((input) => cells[input]!.trim() === "")) continue;
      marks.add(mark);
      candidates.push({
        key: row.key,
        keys: Object.fromEntries(keyColumns.map((column) => [column, row.values[column] ?? ""])),
        cells: carried === undefined ? cells : { ...cells, [carried]: groupOf(row, records.get(row.key), carried) ?? "" },
        group: groupOf(row, records.get(row.key), options.balance),
        doubt: doubts.get(row.key),
      });
    }
  }
  const way: DrawWay = options.doubtful ? "doubtful" : options.balance === undefined ? "random" : "balanced";
  const drawn = drawRows(candidates, options.rows, way, options.seed);
  // Reasons and other free words are labelled only where there is nothing else to label.
  const verdicts = prepared.parts.filter((part) => part.kind.freeText !== true);
  const labels = (verdicts.length > 0 ? verdicts : prepared.parts).map((part) => part.name);
  const from = `plan ${plan.name}, ${way === "balanced" ? `balanced over ${options.balance}` : way}, seed ${options.seed}`;
  const next: SamplesFile = {
    file,
    columns: [
      ...new Set([
        ...(before?.columns ?? [...keyColumns, ...inputs, ...(carried === undefined ? [] : [carried]), ...labels]),
        ...(carried === undefined ? [] : [carried]),
        FROM_COLUMN,
        MARK_COLUMN,
      ]),
    ],
    rows: [
      ...(before?.rows ?? []),
      ...drawn.map(({ keys, cells }) => ({ ...keys, ...cells, [FROM_COLUMN]: from, [MARK_COLUMN]: markOf(inputs, cells) })),
    ],
  };
  if (drawn.length > 0) await saveSamples(project, next);
  return { file, drawn: drawn.length, left: candidates.length - drawn.length };
}

/** Seals a share of a samples file: those rows are graded only by `--sealed`. Rows that are sealed stay so. */
export async function sealInFile(
  project: Project,
  file: string,
  share: number,
  seed: number,
  balance: string | undefined,
): Promise<{ sealed: number; rows: number }> {
  const samples = await openSamples(project, file);
  if (balance !== undefined && !samples.columns.includes(balance))
    throw new YoroshiError("badOption", {
      option: "--balance",
      problem: `${file} has no column \`${balance}\`. Columns: ${samples.columns.join(", ")}.`,
    });
  const open = samples.rows
    .map((row, index) => ({ key: String(index), group: balance === undefined ? undefined : row[balance], row }))
    .filter(({ row }) => row[SET_COLUMN]?.trim() !== SEALED);
  const already = samples.rows.length - open.length;
  const wanted = Math.max(0, share * samples.rows.length - already) / Math.max(1, open.length);
  const chosen = drawSealed(open, Math.min(1, wanted), seed);
  samples.rows.forEach((row, index) => {
    if (row[SET_COLUMN]?.trim() !== SEALED) row[SET_COLUMN] = chosen.has(String(index)) ? SEALED : "working";
  });
  await saveSamples(project, { ...samples, columns: [...new Set([...samples.columns, SET_COLUMN])] });
  return { sealed: already + chosen.size, rows: samples.rows.length };
}

/** Reads a samples file to be changed. Only CSV can be written back. */
export async function openSamples(project: Project, file: string): Promise<SamplesFile> {
  if (!/\.csv$/i.test(file))
    throw new YoroshiError("badOption", { option: file, problem: "samples that are drawn or labelled stand in a CSV file." });
  const { columns, rows } = await project.tables.small({ file, anywhere: true });
  return {
    file,
    columns: [...columns],
    rows: rows.map(({ values }) => Object.fromEntries(Object.entries(values).map(([column, text]) => [column, refanged(text)]))),
  };
}

/** Writes a samples file whole, beside it first, and swaps it in. */
export async function saveSamples(project: Project, { file, columns, rows }: SamplesFile): Promise<void> {
  const absolute = insideProject(project.root, file);
  await mkdir(path.dirname(absolute), { recursive: true });
  const beside = `${absolute}.writing`;
  await writeFile(beside, stringify([columns, ...rows.map((row) => columns.map((column) => defangCopied(row[column] ?? "")))]));
  await rename(beside, absolute);
}

/** The mark of a row's inputs, by which a later change is seen. */
export function markOf(inputs: readonly string[], row: Readonly<Record<string, string>>): string {
  return inputsMark(Object.fromEntries(inputs.map((input) => [input, row[input]])));
}

function groupOf(row: Row, record: CellRecord | undefined, balance: string | undefined): string | undefined {
  if (balance === undefined) return undefined;
  return (
    record?.edited?.[balance] ?? (record?.values[balance] === undefined ? (row.values[balance] ?? "") : String(record.values[balance]))
  );
}

/** How doubtful each row's answer is: one minus its confidence; an answer that failed is most doubtful. */
async function doubtsOf(project: Project, rows: readonly Row[], records: ReadonlyMap<string, CellRecord>): Promise<Map<string, number>> {
  const doubts = new Map<string, number>();
  const asked = rows.flatMap((row) => {
    const record = records.get(row.key);
    return record?.fingerprint === undefined ? [] : [{ key: row.key, record }];
  });
  const answers = await project.ledger().answers.find(asked.map(({ record }) => record.fingerprint!));
  asked.forEach(({ key, record }, index) => {
    const answer = answers[index]?.answer;
    if (record.state === "failed") doubts.set(key, 2);
    else if (answer?.confidence) doubts.set(key, 1 - answer.confidence.value);
    else if (answer?.notes.some(({ code }) => code === "mended")) doubts.set(key, 0.5);
  });
  return doubts;
}
