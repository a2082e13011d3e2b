import { suggestVersion, type ContestOptions, type ContestResult, type Project } from "../../project/index.js";
import { heading, out, outJson, quiet, warn } from "../print/print.js";
import { printContest } from "../print/trial.js";

/** What `yoroshi trial --suggest` adds to a trial: better wording as a version of its own, tried and told, not applied. */
export async function suggest(
  project: Project,
  name: string,
  result: ContestResult,
  options: ContestOptions,
  json: boolean,
): Promise<void> {
  const found = await suggestVersion(project, name, result, options);
  if (!found) {
    if (json) outJson({ suggestion: null });
    else out(`\n${warn("The model suggested nothing that could be used.")}`);
    return;
  }
  const { version, sentences, contest } = found;
  if (json) return outJson({ suggestion: { version, sentences, contest } });
  out(`\n${heading(`Suggested: version ${version}`)}  ${quiet("in the ledger only; the template's file stands as it was")}`);
  for (const sentence of sentences) out(`  + ${sentence}`);
  const { report } = found.result;
  printContest(contest, { name: `version ${version}`, parts: report.parts }, [], project.settings.currency);
  out(
    quiet(
      `\nyoroshi versions ${name} --diff ${version} shows it; --restore ${version} makes it the template. The gain on rows that it was made from flatters it: keep some sealed.`,
    ),
  );
}
