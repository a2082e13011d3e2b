import type { Json } from "../ground/index.js";
import { errandName } from "../sources/index.js";
import { parseErrand } from "./liquid.js";
import type { TemplateShape } from "./template.js";

type Rendered = (scope: Readonly<Record<string, unknown>>) => string[];

/** The searches and addresses of a template, parsed once. */
const parsed = new WeakMap<object, { readonly search: Rendered; readonly read: Rendered; readonly about: string }>();

/** What is looked up for a row, as the name of a source; `undefined` where its values leave nothing to look for. */
export function errandOf(
  { legwork, task }: Pick<TemplateShape, "legwork" | "task">,
  inputs: Readonly<Record<string, Json>>,
): string | undefined {
  if (!legwork) return undefined;
  let known = parsed.get(legwork);
  if (!known) {
    const all = (sources: readonly string[] = []): Rendered => {
      const texts = sources.map((source) => parseErrand(source).render!);
      return (scope) =>
        texts
          .map((render) =>
            render({ ...scope })
              .replace(/\s+/g, " ")
              .trim(),
          )
          .filter((text) => text !== "");
    };
    // What is asked, by its words alone.
    known = {
      search: all(legwork.search),
      read: all(legwork.read),
      about: task
        .replace(/\{\{.*?\}\}|\{%.*?%\}/gs, " ")
        .replace(/\s+/g, " ")
        .trim(),
    };
    parsed.set(legwork, known);
  }
  const errand = { search: known.search(inputs), read: known.read(inputs), about: known.about };
  return errand.search.length + errand.read.length === 0 ? undefined : errandName(errand);
}

/** Whether what is looked up depends on an input, which then need not be printed. */
export const isLookedUpBy = ({ legwork }: Pick<TemplateShape, "legwork">, input: string): boolean =>
  [...(legwork?.search ?? []), ...(legwork?.read ?? [])].some((source) => parseErrand(source).uses?.includes(input));
