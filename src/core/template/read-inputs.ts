import { countChars, remark, type Json, type Remark } from "../ground/index.js";
import { errandOf } from "./errands.js";
import { FOUND, isHandles, namesIn, type PageSpec, type SourceHandle, type SourceSpec } from "../kinds/index.js";
import { isProblem, type SourceProblem } from "../sources/index.js";
import type { NamedShape } from "./instruct.js";
import { cutAtSentence, keepEnds } from "./shorten.js";
import type { InputSpec, TemplateShape } from "./template.js";

/** A row's typed inputs, or the reason why the row cannot be asked. */
export type InputReading =
  | {
      readonly state: "ready";
      readonly inputs: Readonly<Record<string, Json>>;
      /** What was left out of long inputs, by input; see `whenLong`. */
      readonly shortened?: Readonly<Record<string, Remark>> | undefined;
    }
  | { readonly state: "missing" | "unfit"; readonly reason: Remark }
  /** What it names would have to be fetched, and nothing was. */
  | { readonly state: "unfetched"; readonly reason: Remark; readonly sources: readonly NamedSource[] }
  /** It names sources that are to be found first. */
  | { readonly state: "needed"; readonly reason: Remark; readonly sources: readonly NamedSource[] };

/** A source by the name that a row gives it, and how the template wants it. */
export interface NamedSource {
  readonly name: string;
  readonly spec: SourceSpec;
}

/** What was found of sources, by `sourceKey`; `undefined` under a key: it would have to be fetched. */
export type FoundSources = ReadonlyMap<string, SourceHandle | SourceProblem | undefined>;

/** A name is one source for all inputs of a kind that look for it in the same way. */
export const sourceKey = ({ name, spec }: NamedSource): string => `${spec.kind} ${(spec as PageSpec).maxAgeDays ?? ""} ${name}`;

/** What of a prepared template reading a row's inputs needs. */
interface Reader {
  readonly inputs: readonly NamedShape[];
  readonly template: Pick<TemplateShape, "missingWords" | "whenMissing" | "whenLong" | "legwork" | "task">;
  readonly legwork?: NamedShape | undefined;
}

function isMissing({ template }: Reader, cell: string): boolean {
  const word = cell.trim().toLowerCase();
  return word === "" || (template.missingWords?.some((missing) => missing.toLowerCase() === word) ?? false);
}

/**
 * Turns cells of a row into a template's typed inputs. A missing required input declines the row (unless the template
 * says otherwise), an input outside its kind makes it unfit; one above its limit, too, or it is shortened as the
 * template says. Reasons never quote the cell.
 *
 * @example
 * ```ts
 * import { prepare, readInputs, sentenceOf, template } from "yoroshi";
 *
 * const sized = template({ name: "sized", inputs: { crew: { kind: "number" } }, task: "{{ crew }}", answer: { many: { kind: "yesNo" } } });
 * const reading = readInputs(prepare(sized), { crew: "a few" });
 * if (reading.state !== "ready") console.log(sentenceOf(reading.reason));
 * readInputs(prepare(sized), { crew: "12" }).state; // => "ready"
 * ```
 */
export function readInputs(reader: Reader, cells: Readonly<Record<string, string | null | undefined>>, found?: FoundSources): InputReading {
  const inputs: Record<string, Json> = {};
  const needed: { readonly input: string; readonly source: NamedSource }[] = [];
  const unfetched: typeof needed = [];
  let shortened: Record<string, Remark> | undefined;
  for (const input of reader.inputs) {
    const { name } = input;
    const cell = cells[name];
    if (cell === null || cell === undefined || isMissing(reader, cell)) {
      const spec = input.spec as InputSpec;
      const way = reader.template.whenMissing?.[name] ?? (spec.required === false ? "proceed" : "decline");
      if (way === "decline") return { state: "missing", reason: remark(cell?.trim() ? "inputMissing" : "inputBlank", { input: name }) };
      if (typeof way === "object" && "decline" in way) return { state: "missing", reason: remark("told", { text: way.decline }) };
      inputs[name] = typeof way === "object" ? way.use : null;
      continue;
    }
    if (input.kind.source && found && !isHandles(cell)) {
      const sources = namesIn(input.spec, cell).map((one): NamedSource => ({ name: one, spec: input.spec }));
      const missing = sources.filter((source) => !found.has(sourceKey(source)));
      needed.push(...missing.map((source) => ({ input: name, source })));
      if (missing.length > 0) continue;
      const handles = sources.map((source) => found.get(sourceKey(source)));
      const problem = handles.find(isProblem);
      if (problem) return { state: "unfit", reason: remark("inputUnfit", { input: name, problem: problem.problem }) };
      if (handles.includes(undefined)) {
        unfetched.push(
          ...sources.filter((source) => found.get(sourceKey(source)) === undefined).map((source) => ({ input: name, source })),
        );
        continue;
      }
      // A handle is JSON, which its interface does not say.
      inputs[name] = ((input.spec as SourceSpec).many ? handles : handles[0]) as unknown as Json;
      continue;
    }
    const reading = input.fromCell(cell);
    if (!reading.ok) return { state: "unfit", reason: remark("inputUnfit", { input: name, problem: reading.problem }) };
    inputs[name] = reading.value;
    const { maxChars } = input.spec as { maxChars?: number };
    // How long a source is is known when it is opened.
    if (maxChars === undefined || input.kind.source || cell.length <= maxChars) continue;
    const chars = countChars(cell);
    if (chars <= maxChars) continue;
    const way = reader.template.whenLong?.[name] ?? "decline";
    if (way === "decline") return { state: "unfit", reason: remark("inputLong", { input: name, chars, most: maxChars }) };
    if (way === "condense") continue; // by a model, when the row is asked
    const { text, note } = way === "cut" ? cutAtSentence(cell, maxChars) : keepEnds(cell, maxChars);
    inputs[name] = text;
    (shortened ??= {})[name] = note;
  }
  // What is looked up depends on the inputs alone.
  const errand = reader.legwork && errandOf(reader.template, inputs);
  if (reader.legwork && errand !== undefined) {
    const { spec } = reader.legwork;
    const source: NamedSource = { name: errand, spec };
    if (!found?.has(sourceKey(source))) needed.push({ input: FOUND, source });
    else {
      const handle = found.get(sourceKey(source));
      if (isProblem(handle)) return { state: "missing", reason: remark("inputUnfit", { input: "legwork", problem: handle.problem }) };
      if (handle === undefined) unfetched.push({ input: "legwork", source });
      else inputs[FOUND] = handle as unknown as Json;
    }
  }
  if (needed.length > 0)
    return { state: "needed", reason: remark("notFetched", { input: needed[0]!.input }), sources: needed.map(({ source }) => source) };
  if (unfetched.length > 0)
    return {
      state: "unfetched",
      reason: remark("notFetched", { input: unfetched[0]!.input }),
      sources: unfetched.map(({ source }) => source),
    };
  return { state: "ready", inputs, shortened };
}
