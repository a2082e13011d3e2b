import { existsSync } from "node:fs";
import path from "node:path";
import * as z from "zod";
import {
  decidingWork,
  inputCells,
  joinKey,
  MARK_COLUMN,
  readInputs,
  stepsOf,
  type CellRecord,
  type FillSetup,
  type Row,
  type StepWork,
} from "../core/index.js";
import { defineJob } from "./job.js";
import { FROM_COLUMN, markOf, openSamples, saveSamples, type SamplesFile } from "./samples-file.js";
import { count } from "./schemas.js";

const SOME = 500;

/** What people decided becomes right values by which the template is graded. */
export const keepAsSamples = defineJob({
  name: "keepAsSamples",
  summary: "Puts what people decided about a plan's rows into the template's samples file, as right values with their origin.",
  input: z.strictObject({
    plan: z.string(),
    step: z.string().optional(),
    /** Default: samples/<template>.csv. */
    samples: z.string().optional(),
  }),
  report: z.object({
    file: z.string(),
    /** New rows; rows that were in the file and got a value that they lacked; rows that have changed since they were decided. */
    added: count,
    completed: count,
    movedOn: count,
  }),
  async run(project, { plan: name, step, samples }) {
    const { setup } = await project.fillSetup(name, { asks: false });
    const work = await decidingWork(setup);
    const [first] = stepsOf(setup, step);
    const one = work.steps.find((each) => each.name === first)!;
    const { prepared } = setup.asking[one.name]!;
    const file = project.samplesFile(prepared.template.name, samples);
    const { keyColumns } = setup.table;
    const inputs = prepared.inputs.map((input) => input.name);
    const labels = prepared.parts.filter((part) => part.kind.freeText !== true).map((part) => part.name);
    const before = existsSync(path.resolve(project.root, file)) ? await openSamples(project, file) : undefined;
    const next: SamplesFile = {
      file,
      columns: [...new Set([...(before?.columns ?? [...keyColumns, ...inputs, ...labels]), FROM_COLUMN, MARK_COLUMN])],
      rows: [...(before?.rows ?? [])],
    };
    const known = new Map<string, Record<string, string>>();
    for (const row of next.rows) {
      known.set(markOf(inputs, row), row);
      if (keyColumns.every((column) => row[column])) known.set(joinKey(keyColumns.map((column) => row[column]!)), row);
    }
    const report = { file, added: 0, completed: 0, movedOn: 0 };
    for await (const { row, record } of decidedRows(setup, one)) {
      const { cells } = await inputCells(setup, row, one.name);
      if (!isSame(one, cells, record)) {
        report.movedOn++;
        continue;
      }
      const given = labelsOf(one, record, next.columns);
      if (Object.keys(given).length === 0) continue;
      const own = Object.fromEntries(inputs.map((input) => [input, cells[input] ?? ""]));
      const mark = markOf(inputs, own);
      const found = known.get(mark) ?? known.get(row.key);
      if (found) {
        // A label that a person gave in the file is theirs.
        const lacking = Object.entries(given).filter(([part]) => !found[part]?.trim());
        if (lacking.length === 0 || markOf(inputs, found) !== mark) continue;
        Object.assign(found, Object.fromEntries(lacking), { [MARK_COLUMN]: mark });
        report.completed++;
        continue;
      }
      const keys = Object.fromEntries(keyColumns.map((column) => [column, row.values[column] ?? ""]));
      const added = { ...keys, ...own, ...given, [FROM_COLUMN]: originOf(setup, record), [MARK_COLUMN]: mark };
      next.rows.push(added);
      known.set(mark, added);
      report.added++;
    }
    if (report.added + report.completed > 0) await saveSamples(project, next);
    return report;
  },
});

/** The rows about whose cells a person has decided. */
async function* decidedRows({ plan, table, ledger }: FillSetup, one: StepWork): AsyncGenerator<{ row: Row; record: CellRecord }> {
  for await (const { rows } of table.read()) {
    for (let from = 0; from < rows.length; from += SOME) {
      const some = rows.slice(from, from + SOME);
      const records = await ledger.cells.find(
        plan.name,
        one.name,
        some.map(({ key }) => key),
      );
      for (const row of some) {
        const record = records.get(row.key);
        if (record?.decided && Object.values(record.decided).some(({ act }) => act !== undefined)) yield { row, record };
      }
    }
  }
}

/** Whether the row still is what was decided about. */
function isSame({ does }: StepWork, cells: Readonly<Record<string, string | undefined>>, record: CellRecord): boolean {
  if (does.kind !== "ask") return false;
  const reading = readInputs(does.prepared, cells);
  return reading.state === "ready" && (record.again?.on ?? record.fingerprint) === does.fingerprint(reading.inputs);
}

/** Part -> its right value, as far as a person has said so and the file has a column for it. */
function labelsOf({ targets }: StepWork, record: CellRecord, columns: readonly string[]): Record<string, string> {
  const given: Record<string, string> = {};
  for (const { name, part } of targets) {
    const decided = record.decided?.[name];
    const value = record.values[name];
    if (!part || !columns.includes(part.name) || decided?.act === undefined || decided.how === "reject" || value === undefined) continue;
    given[part.name] = String(value);
  }
  return given;
}

function originOf({ plan }: FillSetup, { decided }: CellRecord): string {
  const at = Math.max(...Object.values(decided ?? {}).map((one) => one.at));
  return `review of plan ${plan.name}, ${new Date(at).toISOString().slice(0, 10)}`;
}
