import { complain, nearest, YoroshiError, type Complaint } from "../ground/index.js";
import { FOUND } from "../kinds/index.js";
import { isLookedUpBy } from "./errands.js";
import { parseText } from "./liquid.js";
import { RUN_NAMES } from "./run-values.js";
import type { TemplateShape } from "./template.js";

/** A text that several templates share, as its file has it. */
export interface Passage {
  /** The name that the template gives it. */
  readonly name: string;
  readonly file: string;
  readonly text: string;
}

/** A text in which `{{ name }}` of a passage stands for the passage's text. */
export function withPassages(text: string, passages: readonly Passage[]): string {
  return passages.reduce(
    (whole, { name, text: passage }) => whole.replaceAll(new RegExp(`\\{\\{-?\\s*${name}\\s*-?\\}\\}`, "g"), () => passage.trim()),
    text,
  );
}

/** The template with its passages put into role and task. */
export function expandPassages<T extends TemplateShape>(template: T, passages: readonly Passage[] = []): T {
  for (const name of Object.keys(template.passages ?? {})) {
    if (!passages.some((passage) => passage.name === name))
      throw new YoroshiError("misuse", { problem: `The template ${template.name} needs the passage \`${name}\`.` });
  }
  if (passages.length === 0) return template;
  return {
    ...template,
    task: withPassages(template.task, passages),
    ...(template.role === undefined ? {} : { role: withPassages(template.role, passages) }),
  };
}

/** What is wrong in the passages of a template, each mistake with its place in the passage's own file. */
export function checkPassages(template: TemplateShape, passages: readonly Passage[], templateFile: string): Complaint[] {
  const inputs = Object.keys(template.inputs);
  const known = [...inputs, ...Object.keys(template.references ?? {}), ...RUN_NAMES, ...(template.legwork ? [FOUND] : [])];
  const found: Complaint[] = [];
  const used = new Set<string>();
  for (const { file, text } of passages) {
    const { text: parsed, problem } = parseText(text);
    if (problem) found.push(complain("taskSyntax", { file, line: problem.line, column: problem.column }, { problem: problem.problem }));
    for (const { name, line, column } of parsed?.uses ?? []) {
      used.add(name);
      if (!known.includes(name))
        found.push(complain("unknownInput", { file, line, column }, { name, known: inputs, near: nearest(name, inputs) }));
    }
  }
  for (const key of ["role", "task"] as const) for (const use of parseText(template[key] ?? "").text?.uses ?? []) used.add(use.name);
  if (found.length > 0) return found;
  const place = { file: templateFile, line: 1, column: 1 };
  return [
    ...inputs.filter((name) => !used.has(name) && !isLookedUpBy(template, name)).map((name) => complain("unusedInput", place, { name })),
    ...passages
      .filter(({ name }) => !used.has(name))
      .map(({ name }) =>
        complain("badValue", place, {
          problem: `The passage \`${name}\` is never used. Write \`{{ ${name} }}\` into role or task, or remove it.`,
        }),
      ),
  ];
}
