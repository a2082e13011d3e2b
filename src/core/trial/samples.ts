import { nearest, YoroshiError, type Json } from "../ground/index.js";
import { readInputs, type Prepared } from "../template/index.js";

/** A row with known right values. */
export interface Sample {
  /** What names the sample in reports: its key, or its place. */
  readonly id: string;
  readonly place: string;
  readonly inputs: Readonly<Record<string, Json>>;
  /** Part -> right value; parts left out are not graded for this sample. */
  readonly truth: Readonly<Record<string, Json>>;
}

/** A label that is outside its part's kind, or a row that cannot be asked: reported, never counted. */
export interface UnfitSample {
  readonly id: string;
  readonly place: string;
  readonly what: string;
  readonly problem: string;
  readonly near?: string | undefined;
}

export interface Samples {
  readonly file: string;
  /** Parts that have a column of right values. */
  readonly graded: readonly string[];
  readonly samples: readonly Sample[];
  readonly unfit: readonly UnfitSample[];
}

export interface SampleRow {
  readonly place: string;
  readonly values: Readonly<Record<string, string>>;
}

/**
 * Reads samples from rows of text. Columns are found by name, whatever their case: those of the inputs hold what the
 * template is asked, those of the answer's parts the right values. Blank labels are not graded.
 *
 * @throws YoroshiError `samplesUnfit` where an input has no column or no part has one.
 */
export function readSamples(prepared: Prepared, file: string, columns: readonly string[], rows: readonly SampleRow[], keyColumn?: string): Samples {
  const find = (name: string): string | undefined => columns.find((column) => column === name) ?? columns.find((column) => column.trim().toLowerCase() === name.toLowerCase());
  const from: Record<string, string> = {};
  for (const input of prepared.inputs) {
    const column = find(input.name);
    if (column !== undefined) from[input.name] = column;
    else if ((input.spec as { required?: boolean }).required !== false) {
      const near = nearest(input.name, columns);
      throw new YoroshiError("samplesUnfit", { file, problem: `no column is named after the input \`${input.name}\`${near ? ` (is \`${near}\` meant?)` : ""}. Columns: ${columns.join(", ")}.` });
    }
  }
  const labels = prepared.parts.flatMap((part) => {
    const column = find(part.name);
    return column === undefined || Object.values(from).includes(column) ? [] : [{ part, column }];
  });
  if (labels.length === 0) {
    throw new YoroshiError("samplesUnfit", { file, problem: `no column is named after a part of the answer (${prepared.parts.map((part) => part.name).join(", ")}), so there is nothing to grade.` });
  }
  const samples: Sample[] = [];
  const unfit: UnfitSample[] = [];
  for (const { place, values } of rows) {
    const id = (keyColumn === undefined ? undefined : values[keyColumn]) || place;
    const reading = readInputs(prepared, Object.fromEntries(Object.entries(from).map(([input, column]) => [input, values[column]])));
    if (reading.state !== "ready") {
      unfit.push({ id, place, what: "row", problem: reading.reason });
      continue;
    }
    const truth: Record<string, Json> = {};
    for (const { part, column } of labels) {
      const cell = values[column];
      if (cell === undefined || cell.trim() === "") continue;
      const label = part.fromCell(cell);
      if (label.ok) truth[part.name] = label.value;
      else unfit.push({ id, place, what: part.name, problem: `the label ${label.problem}`, near: nearestOption(part.schema, cell) });
    }
    if (Object.keys(truth).length > 0) samples.push({ id, place, inputs: reading.inputs, truth });
  }
  return { file, graded: labels.map(({ part }) => part.name), samples, unfit };
}

function nearestOption(schema: unknown, cell: string): string | undefined {
  const options = (schema as { options?: unknown }).options;
  return Array.isArray(options) ? nearest(cell, options as string[]) : undefined;
}
