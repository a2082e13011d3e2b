import { modelsOf, type Work } from "../cells/index.js";
import { canonicalJson, plainJson, sha256Hex } from "../ground/index.js";

/**
 * Hashes of what the answers of a plan rest on: the plan itself, and for each step its template with references and model. Two processes
 * with the same marks ask the same questions.
 */
export function marksOf(work: Work): Record<string, string> {
  const hash = work.sha256 ?? sha256Hex;
  const marks: Record<string, string> = { [`the plan ${work.plan.name}`]: hash(canonicalJson(plainJson(work.plan))) };
  for (const { name, does } of work.steps)
    if (does.kind === "ask") marks[`the template ${does.prepared.template.name} of the step ${name}`] = does.fingerprint({});
  for (const { id, host } of modelsOf(work)) marks[`the model ${id}`] = hash(`${host} ${id}`);
  return marks;
}

/** What differs between a planner's marks and one's own; none where nothing does. */
export const differing = (theirs: Readonly<Record<string, string>>, own: Readonly<Record<string, string>>): string[] =>
  [...new Set([...Object.keys(theirs), ...Object.keys(own)])].filter((name) => theirs[name] !== own[name]);
