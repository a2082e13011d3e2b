import { canonicalJson, nearest, plural, sentenceOf, sha256Hex, YoroshiError, type Json, type Remark } from "../ground/index.js";
import { fleissKappa, majority } from "../statistics/index.js";
import {
  partAt,
  partPaths,
  readInputs,
  hasSources,
  type FoundSources,
  type NamedSource,
  type NamedShape,
  type Prepared,
} from "../template/index.js";

/** A row with known right values. */
export interface Sample {
  /** What names the sample in reports: its key, or its place. */
  readonly id: string;
  readonly place: string;
  readonly inputs: Readonly<Record<string, Json>>;
  /** Part -> right value; parts left out are not graded for this sample. */
  readonly truth: Readonly<Record<string, Json>>;
  /** Kept apart from daily work; see `yoroshi samples seal`. */
  readonly sealed: boolean;
  /** The whole row as text, for slices and for columns as contestants. */
  readonly values: Readonly<Record<string, string>>;
}

/** A label that is outside its part's kind, or a row that cannot be asked: reported, never counted. */
export interface UnfitSample {
  readonly id: string;
  readonly place: string;
  readonly what: string;
  readonly problem: string;
  readonly near?: string | undefined;
}

/** What research that found nothing is told under. */
const LEGWORK = "legwork";

function whyUnasked(reason: Remark): { readonly what: string; readonly problem: string } {
  return reason.code === "inputUnfit" && reason.input === LEGWORK
    ? { what: LEGWORK, problem: reason.problem }
    : { what: "row", problem: sentenceOf(reason) };
}

/** What to do where research found nothing for some of the samples; `undefined` where it found something for all. */
export function barrenLegwork(samples: number, unfit: readonly UnfitSample[]): string | undefined {
  const rows = unfit.filter(({ what }) => what === LEGWORK).length;
  return rows === 0
    ? undefined
    : `\`${LEGWORK}\` found nothing for ${rows} of ${plural(samples + rows, "row")}, which ${rows === 1 ? "is" : "are"} not graded. Look at one with \`yoroshi try\`; then change the searches, the hosts or the engine.`;
}

/** How far the people agree who labelled a part. */
export interface Agreement {
  readonly part: string;
  readonly labellers: readonly string[];
  /** Rows that two or more of them labelled. */
  readonly rows: number;
  /** Share of these on which all gave the same value. */
  readonly same: number;
  /** Fleiss' kappa; `null` where it is not defined. */
  readonly kappa: number | null;
  /** Rows without a right value, because the labels stand even and nobody decides. */
  readonly undecided: number;
}

/** Rows with known right values. */
export interface Samples {
  readonly file: string;
  /** Parts that have a right value somewhere. */
  readonly graded: readonly string[];
  readonly samples: readonly Sample[];
  readonly unfit: readonly UnfitSample[];
  readonly agreement: readonly Agreement[];
  readonly columns: readonly string[];
}

export interface SampleRow {
  readonly place: string;
  readonly values: Readonly<Record<string, string>>;
}

/** How a file of samples is read. */
export interface SampleOptions {
  /** What names a row; default: its place. */
  readonly keyColumn?: string | undefined;
  /** Input or part -> column, where the column is not named after it. */
  readonly map?: Readonly<Record<string, string>> | undefined;
  /** What was found of the sources that rows name, by `sourcesOfSamples`. */
  readonly found?: FoundSources | undefined;
  /** The labeller whose label is the right value, where several labelled; default: the majority. */
  readonly judge?: string | undefined;
}

/** The column that says which rows are sealed. */
export const SET_COLUMN = "set";
export const SEALED = "sealed";
/** The column with a mark of the inputs as they were when the row was labelled. */
export const MARK_COLUMN = "inputsMark";

/** A short mark of a row's inputs as text, by which a later change is seen. */
export function inputsMark(cells: Readonly<Record<string, string | undefined>>): string {
  return sha256Hex(
    canonicalJson(Object.fromEntries(Object.entries(cells).map(([name, cell]) => [name, (cell ?? "").replace(/\r\n?/g, "\n").trim()]))),
  ).slice(0, 12);
}

interface LabelColumn {
  readonly column: string;
  /** `undefined`: the column of the right value itself. */
  readonly labeller: string | undefined;
}

const columnFinder =
  (columns: readonly string[], { map }: Pick<SampleOptions, "map">): ((name: string) => string | undefined) =>
  (name) => {
    const wanted = map?.[name] ?? name;
    return columns.find((column) => column === wanted) ?? columns.find((column) => column.trim().toLowerCase() === wanted.toLowerCase());
  };

/** The pictures, documents and pages that rows of samples name, to be found before the samples are read. */
export function sourcesOfSamples(
  prepared: Prepared,
  file: string,
  columns: readonly string[],
  rows: readonly SampleRow[],
  options: Pick<SampleOptions, "map"> = {},
): NamedSource[] {
  if (!hasSources(prepared)) return [];
  const from = inputColumns(prepared, file, columns, columnFinder(columns, options));
  return rows.flatMap(({ values }) => {
    const reading = readInputs(
      prepared,
      Object.fromEntries(Object.entries(from).map(([input, column]) => [input, values[column]])),
      new Map(),
    );
    return reading.state === "needed" ? reading.sources : [];
  });
}

/**
 * Reads samples from rows of text. Columns are found by name, whatever their case: those of the inputs hold what the
 * template is asked, those of the answer's parts (or of a record's, `who.name`) the right values. Labels of several
 * people stand in columns `part@person`; the right value is then the part's own column where it has one, else the
 * judge's, else what most of them say. Blank labels are not graded.
 *
 * @throws YoroshiError `samplesUnfit` where an input has no column or no part has one.
 * @example
 * ```ts
 * import { readSamples } from "yoroshi";
 *
 * // `prepared` as in the example of `fill`: the template of which rows with known answers are samples.
 * const rows = [{ place: "row 1", values: { note: "An angry complaint.", tone: "upset" } }];
 * const { graded, samples } = readSamples(prepared, "samples/tone.csv", ["note", "tone"], rows);
 * graded; // => ["tone"]
 * samples[0]!.truth; // => { tone: "upset" }
 * ```
 */
export function readSamples(
  prepared: Prepared,
  file: string,
  columns: readonly string[],
  rows: readonly SampleRow[],
  options: SampleOptions = {},
): Samples {
  const find = columnFinder(columns, options);
  const from = inputColumns(prepared, file, columns, find);
  const labels = partPaths(prepared.template.answer).flatMap((name) => {
    const found = labelColumns(name, columns, find).filter(({ column }) => !Object.values(from).includes(column));
    return found.length === 0 ? [] : [{ part: partAt(prepared.parts, name)!, found }];
  });
  if (labels.length === 0) {
    throw new YoroshiError("samplesUnfit", {
      file,
      problem: `no column is named after a part of the answer (${prepared.parts.map((part) => part.name).join(", ")}), so there is nothing to grade.`,
    });
  }
  const samples: Sample[] = [];
  const unfit: UnfitSample[] = [];
  const seen = new Set<string>();
  const ratings = new Map<string, string[][]>(labels.map(({ part }) => [part.name, []]));
  for (const { place, values } of rows) {
    const id = (options.keyColumn === undefined ? undefined : values[options.keyColumn]) || place;
    if (seen.has(id)) {
      unfit.push({ id, place, what: "row", problem: "its key occurs twice; the first row counts" });
      continue;
    }
    seen.add(id);
    const cells = Object.fromEntries(Object.entries(from).map(([input, column]) => [input, values[column]]));
    const mark = values[MARK_COLUMN]?.trim();
    if (mark && mark !== inputsMark(cells)) {
      unfit.push({ id, place, what: "row", problem: "its inputs changed since it was labelled; label it again" });
      continue;
    }
    const reading = readInputs(prepared, cells, options.found);
    if (reading.state !== "ready") {
      unfit.push({ id, place, ...whyUnasked(reading.reason) });
      continue;
    }
    const truth: Record<string, Json> = {};
    for (const { part, found } of labels) {
      const value = rightValue(
        part,
        found,
        values,
        options.judge,
        (problem) => unfit.push({ id, place, what: part.name, ...problem }),
        (given) => ratings.get(part.name)!.push(given),
      );
      if (value !== undefined) truth[part.name] = value;
    }
    if (Object.keys(truth).length > 0)
      samples.push({ id, place, inputs: reading.inputs, truth, sealed: values[SET_COLUMN]?.trim().toLowerCase() === SEALED, values });
  }
  const agreement = labels.flatMap(({ part, found }) => agreementOf(part.name, found, ratings.get(part.name)!, samples));
  return { file, graded: labels.map(({ part }) => part.name), samples, unfit, agreement, columns };
}

function inputColumns(
  prepared: Prepared,
  file: string,
  columns: readonly string[],
  find: (name: string) => string | undefined,
): Record<string, string> {
  const from: Record<string, string> = {};
  for (const input of prepared.inputs) {
    const column = find(input.name);
    if (column !== undefined) from[input.name] = column;
    else if (input.spec.required !== false) {
      const near = nearest(input.name, columns);
      throw new YoroshiError("samplesUnfit", {
        file,
        problem: `no column is named after the input \`${input.name}\`${near ? ` (is \`${near}\` meant?)` : ""}. Name it: \`--map ${input.name}=<column>\`. Columns: ${columns.join(", ")}.`,
      });
    }
  }
  return from;
}

function labelColumns(part: string, columns: readonly string[], find: (name: string) => string | undefined): LabelColumn[] {
  const own = find(part);
  const prefix = `${part.toLowerCase()}@`;
  const people = columns
    .filter((column) => column.trim().toLowerCase().startsWith(prefix))
    .map((column) => ({ column, labeller: column.trim().slice(prefix.length) }));
  return [...(own === undefined ? [] : [{ column: own, labeller: undefined }]), ...people];
}

function rightValue(
  part: NamedShape,
  found: readonly LabelColumn[],
  values: Readonly<Record<string, string>>,
  judge: string | undefined,
  complain: (problem: { problem: string; near?: string | undefined }) => void,
  rate: (given: string[]) => void,
): Json | undefined {
  const given = found.flatMap(({ column, labeller }) => {
    const cell = values[column];
    if (cell === undefined || cell.trim() === "") return [];
    const label = part.fromCell(cell);
    if (label.ok) return [{ labeller, value: label.value, text: part.toCell(label.value) }];
    complain({
      problem: `the label${labeller === undefined ? "" : ` of ${labeller}`} ${label.problem}`,
      near: nearestOption(part.schema, cell),
    });
    return [];
  });
  const people = given.filter(({ labeller }) => labeller !== undefined);
  if (people.length > 0) rate(people.map(({ text }) => text));
  const decided =
    given.find(({ labeller }) => labeller === undefined) ?? people.find(({ labeller }) => labeller?.toLowerCase() === judge?.toLowerCase());
  if (decided) return decided.value;
  const most = majority(people.map(({ text }) => text));
  return people.find(({ text }) => text === most)?.value;
}

function agreementOf(
  part: string,
  found: readonly LabelColumn[],
  ratings: readonly (readonly string[])[],
  samples: readonly Sample[],
): Agreement[] {
  const labellers = found.flatMap(({ labeller }) => (labeller === undefined ? [] : [labeller]));
  if (labellers.length < 2) return [];
  const several = ratings.filter((given) => given.length >= 2);
  const same = several.filter((given) => given.every((value) => value === given[0])).length;
  const decided = samples.filter((sample) => sample.truth[part] !== undefined).length;
  return [
    {
      part,
      labellers,
      rows: several.length,
      same: several.length === 0 ? 0 : same / several.length,
      kappa: fleissKappa(several),
      undecided: ratings.length - Math.min(ratings.length, decided),
    },
  ];
}

function nearestOption(schema: unknown, cell: string): string | undefined {
  const options = (schema as { options?: unknown }).options;
  return Array.isArray(options) ? nearest(cell, options as string[]) : undefined;
}
