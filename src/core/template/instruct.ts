import type { Shaped } from "../kinds/index.js";

/** A spec made ready for use, with the name that the template gives it. */
export interface NamedShape extends Shaped {
  readonly name: string;
}

/**
 * Writes, from the answer's kinds, what the answer must look like; the analyst never writes format instructions.
 */
export function tellAnswer(parts: readonly NamedShape[]): string {
  const lines = parts.map((part) => {
    const [first, ...more] = part.tell().split("\n");
    const about = part.spec.about ? ` ${sentence(part.spec.about)}` : "";
    return more.length > 0 ? `- "${part.name}":${about} ${upper(first!)}\n${more.join("\n")}` : `- "${part.name}": ${first}.${about}`;
  });
  return ["Answer with one JSON object and nothing else. Its members, in this order:", ...lines].join("\n");
}

function sentence(text: string): string {
  const trimmed = text.trim();
  return /[.!?]$/.test(trimmed) ? trimmed : `${trimmed}.`;
}

function upper(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1);
}
