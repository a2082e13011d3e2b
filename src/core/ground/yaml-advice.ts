/** What to type instead of a line that YAML cannot read. */
const ADVICE: readonly (readonly [RegExp, (line: string, problem: string) => string])[] = [
  [
    /nested mappings|unexpected scalar at node end|unexpected flow-|reserved character|block collections are not allowed/i,
    (line) => `Put quotes around the text${example(quoted(line))}`,
  ],
  [/tabs are not allowed/i, () => "Indent with spaces"],
  [
    /map keys must be unique/i,
    (line) => `${keyOf(line) === undefined ? "A key" : `\`${keyOf(line)}\``} stands twice at the same place; leave one of them`,
  ],
  [
    /must be sufficiently indented and end with a (.)/i,
    (_line, problem) => `The closing \`${problem.at(-1)}\` is missing, or what follows is not indented`,
  ],
  [/missing closing/i, () => "The closing quote is missing"],
  [
    /must start at the same column|implicit map keys|implicit keys need|bad indentation|not sufficiently indented/i,
    () =>
      "Write `key: value`, each on a line of its own and indented as much as its neighbours; put quotes around a text with special characters",
  ],
];

/** What to type, for a mistake in YAML; blank where nothing better than the mistake itself is known. */
export function yamlAdvice(problem: string, line: string): string {
  const found = ADVICE.find(([pattern]) => pattern.test(problem));
  return found ? `. ${found[1](line, problem)}` : "";
}

const keyOf = (line: string): string | undefined => /^[\s-]*([^:\s][^:]*?)\s*:(?:\s|$)/.exec(line)?.[1];

const example = (text: string | undefined): string => (text === undefined ? "" : `: \`${text}\``);

/** A line's `key: text` with the text in quotes. */
function quoted(line: string): string | undefined {
  const found = /^[\s-]*([^:\s{[][^:]*?)\s*:\s+(\S.*?)\s*$/.exec(line);
  return found ? `${found[1]}: ${inQuotes(found[2]!)}` : undefined;
}

/** A text as YAML takes it without reading anything into it. */
export const inQuotes = (text: string): string => (/["\\]/.test(text) || !/'/.test(text) ? `'${text.replaceAll("'", "''")}'` : `"${text}"`);
