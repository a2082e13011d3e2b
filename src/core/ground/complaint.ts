/** Where something stands in a file that a person wrote. Lines and columns count from 1. */
export interface Place {
  readonly file: string;
  readonly line: number;
  readonly column: number;
  /** Of an object that was made in code: the path to the value, `answer.tone.options`. */
  readonly path?: string | undefined;
}

/**
 * One thing wrong in a file: data first (code, place, details), from which the sentence was made by `complain`.
 */
export interface Complaint {
  readonly code: ComplaintCode;
  readonly place: Place;
  readonly message: string;
}

/** Every complaint about a file that a person wrote, and its sentence: what is wrong and what would be right. */
const SENTENCES = {
  syntax: (d: { problem: string }) => `This is not valid YAML: ${d.problem}.`,
  empty: () => "The file is empty. Start it with its format and version, for example `yoroshi: template/1`.",
  wrongFormat: (d: { found: string; expected: string }) =>
    `The file says \`yoroshi: ${d.found}\` where \`yoroshi: ${d.expected}\` is expected.`,
  missingFormat: (d: { expected: string }) => `The file does not say what it is. Add \`yoroshi: ${d.expected}\` as its first line.`,
  unknownKey: (d: { key: string; known: readonly string[]; near?: string | undefined }) =>
    `There is no key \`${d.key}\` here. ${d.near ? `Did you mean \`${d.near}\`?` : `Known keys: ${d.known.join(", ")}.`}`,
  tagged: (d: { text: string; quoted: string }) =>
    `YAML reads \`${d.text}\` as a tag, for its \`!\`. Put quotes around it: \`${d.quoted}\`.`,
  tornText: (d: { key: string; whole: string }) =>
    `\`${d.key}\` reads as a key of its own, because a comma stands before it. Put the whole text in quotes: \`${d.whole}\`.`,
  missingKey: (d: { key: string; hint?: string | undefined }) => `The key \`${d.key}\` is missing.${d.hint ? ` ${d.hint}` : ""}`,
  wrongType: (d: { expected: string; found: string }) => `Expected ${d.expected}, found ${d.found}.`,
  badValue: (d: { problem: string }) => d.problem,
  unknownKind: (d: { kind: string; known: readonly string[]; near?: string | undefined }) =>
    `There is no kind \`${d.kind}\`. ${d.near ? `Did you mean \`${d.near}\`?` : `Kinds: ${d.known.join(", ")}.`}`,
  badName: (d: { name: string }) =>
    `\`${d.name}\` cannot be a name. Use letters, digits and _, beginning with a letter (for example \`lineOut\`).`,
  noParts: () => "The answer has no parts. Say what it must look like, for example `tone: { kind: choice, options: [calm, upset] }`.",
  taskSyntax: (d: { problem: string }) => `The text with placeholders cannot be read: ${d.problem}.`,
  unknownInput: (d: { name: string; known: readonly string[]; near?: string | undefined }) =>
    `\`{{ ${d.name} }}\` is used, but there is no input \`${d.name}\`. ${d.near ? `Did you mean \`${d.near}\`?` : `Inputs: ${d.known.join(", ") || "none"}.`}`,
  unusedInput: (d: { name: string }) =>
    `The input \`${d.name}\` is never used. Write \`{{ ${d.name} }}\` into the task, or remove the input.`,
  noOptions: () => "A choice needs options: a list, a map from option to meaning, or `{ from: <reference> }`.",
  unknownReference: (d: { name: string; known: readonly string[]; near?: string | undefined }) =>
    `There is no reference \`${d.name}\`. ${d.near ? `Did you mean \`${d.near}\`?` : `References: ${d.known.join(", ") || "none"}.`}`,
  referenceUnreadable: (d: { problem: string }) => d.problem,
  badExample: (d: { part: string; problem: string }) => `The example's \`${d.part}\` does not fit: ${d.problem}.`,
  unknownPart: (d: { name: string; known: readonly string[]; near?: string | undefined }) =>
    `The answer has no part \`${d.name}\`. ${d.near ? `Did you mean \`${d.near}\`?` : `Parts: ${d.known.join(", ")}.`}`,
  unknownTemplate: (d: { name: string; known: readonly string[]; near?: string | undefined }) =>
    `There is no template \`${d.name}\` in this project. ${d.near ? `Did you mean \`${d.near}\`?` : `Templates: ${d.known.join(", ") || "none"}.`}`,
  unknownColumn: (d: { name: string; table: string; known: readonly string[]; near?: string | undefined; header?: string | undefined }) =>
    `${d.table} has no column \`${d.name}\`. ${d.near ? `Did you mean \`${d.near}\`?` : `Columns: ${d.known.filter((name) => name !== "").join(", ")}.`}${d.header ?? ""}`,
  unfedInput: (d: { name: string }) =>
    `The template needs the input \`${d.name}\`. Say which column it comes from: \`inputs: { ${d.name}: <column> }\`.`,
  keyFilled: (d: { column: string }) => `\`${d.column}\` is the key of the table and cannot be filled.`,
  inputFilled: (d: { column: string }) => `\`${d.column}\` is read and filled by the same step. Fill another column.`,
  badCondition: (d: { problem: string }) => `This condition cannot be read as CEL: ${d.problem}.`,
  twoWriters: (d: { column: string; first: string; second: string }) =>
    `\`${d.column}\` is filled by \`${d.first}\` and by \`${d.second}\`. Give one of them another column.`,
  stepsInCircle: (d: { path: readonly { readonly step: string; readonly column: string }[] }) =>
    `The steps wait for each other: ${d.path.map(({ step, column }, index) => `\`${step}\` reads \`${column}\` of \`${d.path[(index + 1) % d.path.length]!.step}\``).join(", ")}. Leave one of these out.`,
  rulesInCircle: (d: { rule: string; column: string; step: string }) =>
    `The rule \`${d.rule}\` would start itself again: by \`${d.column}\`, which the step \`${d.step}\` reads and what comes of it the rule reads. Leave one of these out.`,
  plansInCircle: (d: { path: readonly { readonly plan: string; readonly column: string; readonly table: string }[] }) =>
    `The plans would set each other off for ever: ${d.path.map(({ plan, column, table }, index) => `\`${plan}\` changes \`${column}\` of ${table}, which \`${d.path[(index + 1) % d.path.length]!.plan}\` reads`).join(", ")}. Leave one of these out.`,
  unknownModel: (d: { name: string; known: readonly string[]; near?: string | undefined }) =>
    `The project has no model \`${d.name}\`. ${d.near ? `Did you mean \`${d.near}\`?` : `Models: ${d.known.join(", ") || "none"}.`}`,
  passwordInFile: () =>
    "A password does not belong in a file. Put the whole address into an environment variable and name that: `url: { env: DATABASE_URL }`.",
  secretInFile: () => "A key does not belong in a file. Put it into an environment variable and name that: `key: { env: YOROSHI_KEY }`.",
} as const;

export type ComplaintCode = keyof typeof SENTENCES;
export type ComplaintDetails<C extends ComplaintCode> = Parameters<(typeof SENTENCES)[C]>[0];

/** Makes the complaint of a code, with its sentence. */
export function complain<C extends ComplaintCode>(code: C, place: Place, details: ComplaintDetails<C>): Complaint {
  const say = SENTENCES[code] as (d: ComplaintDetails<C>) => string;
  return { code, place, message: say(details) };
}

/**
 * `templates/x.yaml:12:3  There is no key …`
 *
 * @example
 * ```ts
 * import { formatComplaint, readTemplate } from "yoroshi";
 *
 * const { complaints } = readTemplate("yoroshi: template/1\nname: Tone\n", "tone.yaml");
 * formatComplaint(complaints[0]!).startsWith("tone.yaml:"); // => true
 * ```
 */
export function formatComplaint({ place, message }: Complaint): string {
  return `${formatPlace(place)}  ${message}`;
}

/** `file:line:column`; of an object that was made in code, its name and the path. */
export function formatPlace({ file, line, column, path }: Place): string {
  return path === undefined ? `${file}:${line}:${column}` : `${file}, ${path}:`;
}
