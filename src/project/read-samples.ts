import { existsSync } from "node:fs";
import path from "node:path";
import {
  MARK_COLUMN,
  partPaths,
  findAll,
  readSamples,
  sourcesOfSamples,
  type Finds,
  refanged,
  SET_COLUMN,
  sourceName,
  YoroshiError,
  type Prepared,
  type SampleOptions,
  type Samples,
} from "../core/index.js";
import type { Checked } from "./checks.js";
import { plainSamples } from "./written-there.js";

/** A samples file of the project; by habit the one named after the template. */
export async function readProjectSamples(
  project: Checked & { onNotice(text: string): void },
  prepared: Prepared,
  file: string | undefined,
  options: SampleOptions,
): Promise<Samples> {
  const source = file === undefined ? { file: project.samplesFile(prepared.template.name, file) } : project.tables.named(file);
  const chosen = sourceName(source);
  if (file === undefined && !existsSync(path.resolve(project.root, chosen))) {
    throw new YoroshiError("badOption", {
      option: "--samples",
      problem: `there is no ${chosen}. Name a CSV or JSON Lines file, a workbook, or a table of a database (\`main:labelled\`), with columns for the inputs and for the right values, or draw one: \`yoroshi samples draw PLAN\`.`,
    });
  }
  const { columns, rows: found } = await project.tables.small(source);
  // Samples that were drawn into a CSV file are kept from being run there.
  const rows = await plainSamples(
    prepared,
    source,
    columns,
    found.map(({ place, values }) => ({
      place,
      values: Object.fromEntries(Object.entries(values).map(([column, text]) => [column, refanged(text)])),
    })),
    options,
    project.onNotice,
  );
  const known = new Set(
    [
      ...prepared.inputs.map(({ name }) => name),
      ...partPaths(prepared.template.answer),
      SET_COLUMN,
      MARK_COLUMN,
      ...Object.values(options.map ?? {}),
    ].map((name) => name.toLowerCase()),
  );
  const free = columns.filter((column) => !known.has(column.toLowerCase()) && !column.includes("@"));
  const unique = free.find((column) => new Set(rows.map((row) => row.values[column])).size === rows.length);
  const finds: Finds = new Map();
  await findAll(prepared.sources, sourcesOfSamples(prepared, chosen, columns, rows, options), finds, { mayFetch: true });
  return readSamples(prepared, chosen, columns, rows, {
    found: finds,
    keyColumn: unique ?? free.find((column) => /(^|[^a-z])(id|key|no|nr|number)$|Id$|Key$/i.test(column)),
    ...options,
  });
}
