/**
 * One named part in words: `- "name": about, what it must be`. Where options, points or members follow below, what it
 * must be closes the line; else it opens it. Lines below are indented by two.
 */
export function tellNamed(name: string, about: string | undefined, told: string): string {
  const [first = "", ...below] = told.split("\n");
  const why = about ? ` ${sentence(about)}` : "";
  return below.length > 0 ? [`- "${name}":${why} ${upper(first)}`, ...below].join("\n") : `- "${name}": ${first}.${why}`;
}

export function indent(text: string): string {
  return text
    .split("\n")
    .map((line) => `  ${line}`)
    .join("\n");
}

function sentence(text: string): string {
  const trimmed = text.trim();
  return /[.!?]$/.test(trimmed) ? trimmed : `${trimmed}.`;
}

function upper(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1);
}
