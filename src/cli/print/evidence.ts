import type { TryReport } from "../../jobs/index.js";
import { heading, inked, out, quiet, warn, wrapped } from "./print.js";

type Shown = NonNullable<Extract<TryReport, { prompt: unknown }>["evidence"]>;

/** The words that carry each part, marked in the text where they stand. */
export function printEvidence(evidence: Shown | undefined): void {
  if (!evidence || evidence.length === 0) return;
  out(`\n${heading("Evidence")}`);
  for (const { part, found, quote, source, place, before, behind } of evidence) {
    if (found === "never") {
      out(`  ${part}  ${warn("not found")}${quote ? `: the words given were “${quote}”` : ": no words were given"}`);
      continue;
    }
    out(`  ${part}  ${quiet(`${source}, ${place}${found === "mended" ? "; found after the mend" : ""}`)}`);
    out(wrapped(`${before ?? ""}${inked(quote)}${behind ?? ""}`.replace(/\s+/g, " "), 4));
  }
}
