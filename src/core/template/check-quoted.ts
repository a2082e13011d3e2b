import { complain, type Complaint, type SourceDocument } from "../ground/index.js";
import { quotedFrom } from "../sources/index.js";
import type { Template } from "./template.js";

/** What is given as evidence in examples and does not stand in them; apart from the other checks, since few pages look for words. */
export function checkQuoted({ answer, examples }: Template, document: SourceDocument): Complaint[] {
  if (!examples || "from" in examples) return [];
  return examples.flatMap(({ inputs, evidence = {} }, index) => {
    const quoted = quotedFrom(inputs);
    return Object.entries(evidence).flatMap(([part, words]) => {
      const from = answer[part]?.evidence?.in ?? [];
      if (quoted.find(words, from)) return [];
      const problem = `its evidence does not stand in ${from.join(" or ")} of the example, letter by letter`;
      return [complain("badExample", document.at(["examples", index, "evidence", part]), { part, problem })];
    });
  });
}
