import { seededChance, YoroshiError, type Json } from "../ground/index.js";
import type { NamedShape } from "./instruct.js";
import { readInputs } from "./read-inputs.js";
import type { Example, ExamplesFrom, TemplateShape } from "./template.js";

/** A file of labelled rows, as text by column. */
export interface LabelledRows {
  readonly file: string;
  readonly columns: readonly string[];
  readonly rows: readonly { readonly values: Readonly<Record<string, string>> }[];
}

/**
 * Picks examples from labelled rows: only rows that have every input and a right value for every part, spread evenly
 * over the values of one part, by a seed. The same rows and the same seed give the same examples.
 *
 * @throws YoroshiError `samplesUnfit` where the file has no such rows.
 */
export function pickExamples(
  template: TemplateShape,
  inputs: readonly NamedShape[],
  parts: readonly NamedShape[],
  from: ExamplesFrom,
  labelled: LabelledRows,
): Example[] {
  const missing = [...inputs.filter((input) => (input.spec as { required?: boolean }).required !== false), ...parts].filter(
    ({ name }) => columnOf(labelled, name) === undefined,
  );
  if (missing.length > 0) {
    throw new YoroshiError("samplesUnfit", {
      file: labelled.file,
      problem: `it has no column \`${missing[0]!.name}\`. Examples need every input and every part of the answer. Columns: ${labelled.columns.join(", ")}.`,
    });
  }
  const whole = labelled.rows.flatMap(({ values }) => exampleOf(template, inputs, parts, labelled, values) ?? []);
  if (whole.length < from.take) {
    throw new YoroshiError("samplesUnfit", {
      file: labelled.file,
      problem: `${whole.length} of its rows have every input and a right value for every part; ${from.take} examples are wanted.`,
    });
  }
  const chance = seededChance(from.seed ?? 1);
  const balance = from.balance ?? parts.find((part) => part.kind.measures?.includes("classes"))?.name;
  const groups = new Map<string, Example[]>();
  for (const example of chance.shuffled(whole)) {
    const group = balance === undefined ? "" : JSON.stringify(example.answer[balance]);
    groups.set(group, [...(groups.get(group) ?? []), example]);
  }
  const picked: Example[] = [];
  const order = chance.shuffled([...groups.values()]);
  for (let round = 0; picked.length < from.take; round++)
    picked.push(...order.flatMap((group) => group[round] ?? []).slice(0, from.take - picked.length));
  return picked;
}

function columnOf({ columns }: LabelledRows, name: string): string | undefined {
  return columns.find((column) => column === name) ?? columns.find((column) => column.trim().toLowerCase() === name.toLowerCase());
}

function exampleOf(
  template: TemplateShape,
  inputs: readonly NamedShape[],
  parts: readonly NamedShape[],
  labelled: LabelledRows,
  values: Readonly<Record<string, string>>,
): Example | undefined {
  const cell = (name: string): string | undefined => values[columnOf(labelled, name) ?? ""];
  const reading = readInputs({ template, inputs }, Object.fromEntries(inputs.map(({ name }) => [name, cell(name)])));
  if (reading.state !== "ready") return undefined;
  const answer: Record<string, Json> = {};
  for (const part of parts) {
    const text = cell(part.name);
    const label = text === undefined || text.trim() === "" ? undefined : part.fromCell(text);
    if (!label?.ok) return undefined;
    answer[part.name] = part.said(label.value);
  }
  return { inputs: reading.inputs, answer };
}
