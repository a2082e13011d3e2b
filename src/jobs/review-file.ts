import { existsSync } from "node:fs";
import { rename, writeFile } from "node:fs/promises";
import path from "node:path";
import { stringify } from "csv-stringify/sync";
import * as z from "zod";
import {
  canonicalJson,
  decideRow,
  defangCopied,
  isYoroshiError,
  nearest,
  quickHash,
  refanged,
  ruleTold,
  stepsOf,
  waitingRowOf,
  waitingRows,
  YoroshiError,
  type FillSetup,
  type RowVerdict,
  type WaitingRow,
} from "../core/index.js";
import { fileProblem } from "../files/index.js";
import type { Project } from "../project/index.js";
import { defineJob } from "./job.js";
import { columnsTold } from "./review-rows.js";
import { count } from "./schemas.js";

/** The columns of such a file that are not the row's own. */
const STEP = "step";
const KEY = "key";
const WHY = "held because";
const DECISION = "decision";
const REASON = "reason";
const MARK = "mark";
const insteadOf = (column: string): string => `${column}, instead`;
const proposedOf = (column: string): string => `${column}, proposed`;

/** What a person chooses, as the file words it. */
const DECISIONS = { accept: "accept", reject: "reject", "ask again": "askAgain" } as const;
const PAGE = 200;

/** The mark of all that a row's line shows: where something has moved on, it is another. */
const lineMark = ({ values }: WaitingRow): string => quickHash(canonicalJson(values.map(({ column, judged }) => [column, judged])));

/** Held rows in a file with drop-downs, to be decided in a spreadsheet. */
export const exportReview = defineJob({
  name: "exportReview",
  summary: "Writes rows that wait for a decision into a workbook with drop-downs, or a CSV file.",
  input: z.strictObject({
    plan: z.string(),
    /** `.xlsx` or `.csv`; a new file. */
    file: z.string(),
    step: z.string().optional(),
    rule: z.string().optional(),
    where: z.string().optional(),
  }),
  report: z.object({ plan: z.string(), file: z.string(), rows: count }),
  async run(project, { plan, file, ...choice }) {
    const { setup } = await project.fillSetup(plan, { asks: false });
    const absolute = newFile(project, file);
    const rows: WaitingRow[] = [];
    for (let after: WaitingRow | undefined, some: WaitingRow[] = []; ; after = some.at(-1)) {
      some = await waitingRows(setup, { ...choice, after, limit: PAGE });
      rows.push(...some);
      if (some.length < PAGE) break;
    }
    await writeLines(setup, absolute, file, rows);
    return { plan: setup.plan.name, file, rows: rows.length };
  },
});

const isWorkbook = (file: string): boolean => /\.xlsx$/i.test(file);

function newFile(project: Project, file: string): string {
  if (!isWorkbook(file) && !/\.csv$/i.test(file))
    throw new YoroshiError("badOption", { option: file, problem: "the file's ending says in what form: .xlsx or .csv." });
  const absolute = path.resolve(project.root, file);
  if (existsSync(absolute)) throw new YoroshiError("badOption", { option: file, problem: "this file exists. Choose another name." });
  return absolute;
}

async function writeLines(setup: FillSetup, absolute: string, file: string, rows: readonly WaitingRow[]): Promise<void> {
  const told = columnsTold(setup);
  const values = [...new Set(rows.flatMap((row) => row.values.map(({ column }) => column)))];
  const shown = [...new Set(rows.flatMap((row) => Object.keys(row.row)))].filter((column) => !values.includes(column));
  const optionsOf = (column: string): readonly string[] =>
    Object.values(told)
      .flat()
      .find((one) => one.column === column)?.options ?? [];
  const columns = [
    { name: STEP, width: 12 },
    { name: KEY, width: 14 },
    { name: WHY, width: 18 },
    ...shown.map((name) => ({ name, width: 40 })),
    ...values.flatMap((column) => [
      { name: proposedOf(column), width: 24 },
      { name: insteadOf(column), width: 24, options: optionsOf(column), isOpen: true },
    ]),
    { name: DECISION, width: 12, options: Object.keys(DECISIONS), isOpen: true },
    { name: REASON, width: 30, isOpen: true },
    { name: MARK, isHidden: true },
  ];
  const lines = rows.map((row) => [
    row.step,
    row.key,
    row.rules.map(ruleTold).join(", "),
    ...shown.map((column) => row.row[column] ?? ""),
    ...values.flatMap((column) => [String(row.values.find((one) => one.column === column)?.value ?? ""), ""]),
    "",
    "",
    lineMark(row),
  ]);
  const bytes = isWorkbook(file)
    ? (await import("../adapters/xlsx/index.js")).newWorkbook("review", columns, lines)
    : `\ufeff${stringify([columns.map(({ name }) => name), ...lines.map((line) => line.map(defangCopied))])}`;
  try {
    await writeFile(`${absolute}.writing`, bytes);
    await rename(`${absolute}.writing`, absolute);
  } catch (error) {
    throw new YoroshiError("fileUnwritable", { file, problem: fileProblem(error) }, { cause: error });
  }
}

/** Brings the decisions of such a file back. What does not fit is named and left; everything else is taken. */
export const importReview = defineJob({
  name: "importReview",
  summary: "Takes the decisions of a file that was made by exportReview; names what has moved on or does not fit, and leaves it.",
  input: z.strictObject({ plan: z.string(), file: z.string(), by: z.string().min(1) }),
  report: z.object({
    plan: z.string(),
    file: z.string(),
    /** Rows of the file; of these, rows that were decided, and rows without any decision. */
    rows: count,
    decided: count,
    undecided: count,
    /** Rows that must still be decided by another. */
    open: count,
    /** Rows whose answers have changed since the file was written, or that were decided meanwhile. */
    movedOn: z.array(z.string()),
    /** What does not fit, row by row. */
    problems: z.array(z.object({ place: z.string(), key: z.string(), problem: z.string() })),
  }),
  async run(project, { plan, file, by }) {
    const { setup } = await project.fillSetup(plan, { asks: false });
    const { columns, rows } = await project.tables.small({
      file: path.relative(project.root, path.resolve(project.root, file)),
      anywhere: true,
    });
    for (const needed of [STEP, KEY, DECISION, MARK])
      if (!columns.includes(needed))
        throw new YoroshiError("tableBroken", {
          table: file,
          place: "row 1",
          problem: `there is no column \`${needed}\`. Such a file is made by \`yoroshi review ${setup.plan.name} --out ${file}\`.`,
        });
    const seen = new Map<string, number>();
    for (const { values } of rows) {
      const id = idOf(values);
      seen.set(id, (seen.get(id) ?? 0) + 1);
    }
    const report = {
      plan: setup.plan.name,
      file,
      rows: rows.length,
      decided: 0,
      undecided: 0,
      open: 0,
      movedOn: [] as string[],
      problems: [] as { place: string; key: string; problem: string }[],
    };
    for (const { place, values } of rows) {
      const key = refanged(values[KEY] ?? "");
      const fault = (problem: string): void => void report.problems.push({ place, key, problem });
      const said = saidIn(values);
      if ("problem" in said) fault(said.problem);
      else if (!said.isSaid) report.undecided++;
      else if (seen.get(idOf(values))! > 1) fault("the row stands in the file more than once");
      else if (!stepsOf(setup).includes(values[STEP] ?? "")) fault(`the plan has no step \`${values[STEP] ?? ""}\``);
      else await takeLine(setup, values, key, said, by, report, fault);
    }
    return report;
  },
});

type Line = Readonly<Record<string, string>>;
const idOf = (values: Line): string => JSON.stringify([values[STEP], values[KEY]]);

interface Said {
  readonly isSaid: boolean;
  readonly how: (typeof DECISIONS)[keyof typeof DECISIONS] | undefined;
  readonly instead: Readonly<Record<string, string>>;
  readonly reason: string;
}

function saidIn(values: Line): Said | { readonly problem: string } {
  const word = (values[DECISION] ?? "").trim().toLowerCase();
  const how = word === "" ? undefined : DECISIONS[word as keyof typeof DECISIONS];
  if (word !== "" && !how) {
    const near = nearest(word, Object.keys(DECISIONS));
    return {
      problem: `\`${word.slice(0, 40)}\` is no decision. ${near ? `Did you mean \`${near}\`?` : `Write ${Object.keys(DECISIONS).join(", ")}.`}`,
    };
  }
  const ending = insteadOf("");
  const instead: Record<string, string> = {};
  for (const [column, text] of Object.entries(values))
    if (column.endsWith(ending) && text.trim() !== "") instead[column.slice(0, -ending.length)] = refanged(text);
  return { isSaid: how !== undefined || Object.keys(instead).length > 0, how, instead, reason: refanged(values[REASON] ?? "").trim() };
}

async function takeLine(
  setup: FillSetup,
  values: Line,
  key: string,
  { how, instead, reason }: Said,
  by: string,
  report: { decided: number; open: number; movedOn: string[] },
  fault: (problem: string) => void,
): Promise<void> {
  const step = values[STEP]!;
  const row = await waitingRowOf(setup, step, key);
  if (!row && !(await setup.ledger.cells.find(setup.plan.name, step, [key])).has(key))
    return fault("no row with this key has been answered; keys stay as they were written");
  if (!row || lineMark(row) !== values[MARK]) return void report.movedOn.push(key);
  const columns: Record<string, RowVerdict> = {};
  for (const { column } of row.values) {
    const given = instead[column];
    if (given !== undefined && how !== "reject" && how !== "askAgain") columns[column] = { how: "edit", value: given, reason };
    else if (how === "accept") columns[column] = { how };
    else if (how === "reject") columns[column] = { how, reason, ...(given === undefined ? {} : { value: given }) };
    else if (how === "askAgain") columns[column] = { how, says: reason };
  }
  const foreign = Object.keys(instead).find((column) => !(column in columns));
  if (foreign !== undefined) return fault(`\`${foreign}\` is not held in this row`);
  try {
    const judged = Object.fromEntries(row.values.map((one) => [one.column, one.judged]));
    const { columns: came } = await decideRow(setup, { step, key, columns, judged, by });
    if (Object.values(came).some((one) => one === "open" || one === "disputed")) report.open++;
    else report.decided++;
  } catch (error) {
    if (!isYoroshiError(error) || error.code === "ledgerBroken") throw error;
    if (error.code === "answerMovedOn") report.movedOn.push(key);
    else fault(error.message);
  }
}
