import { addToTask, contest, mistakesText, prepare, readTemplate, suggestingTemplate, YoroshiError, type Contest } from "../core/index.js";
import { OWN_VERSION } from "../project/index.js";
import { contestantOf, runContest, versionOf, type ContestOptions, type ContestResult } from "./contest.js";
import type { Project } from "../project/index.js";

/** A version that a model suggested and that was tried; the template's file stands as it was. */
export interface Suggestion {
  readonly version: number;
  readonly sentences: readonly string[];
  readonly contest: Contest;
  readonly result: ContestResult;
}

/**
 * Has the model suggest sentences from the rows that disagreed, keeps the new wording as a version in the ledger, and
 * tries it on the working samples. Nothing is applied.
 *
 * @throws YoroshiError `badOption` after a trial of the sealed samples: they must not shape the template.
 */
export async function suggestVersion(
  project: Project,
  name: string,
  result: ContestResult,
  options: ContestOptions,
): Promise<Suggestion | undefined> {
  if (result.report.sealed.graded)
    throw new YoroshiError("badOption", {
      option: "--suggest",
      problem: "the sealed samples must not shape the template. Leave --sealed out.",
    });
  const loaded = await versionOf(project, await project.template(name), options.version);
  const texts = new Map(
    result.samples.samples.map((sample) => [
      sample.id,
      Object.values(sample.inputs)
        .filter((value) => typeof value === "string")
        .join(" "),
    ]),
  );
  const inputs = { task: loaded.template.task, mistakes: mistakesText(result.report, (id) => texts.get(id) ?? "") };
  const models = { ...(await project.models.open(loaded.template.model?.use)), others: {} };
  const prepared = prepare(suggestingTemplate());
  const { answer } = await project.asking.ask(
    { subject: loaded.template.name, prepared, version: OWN_VERSION, models, inputs },
    { fresh: true },
  );
  if (answer.state !== "answered") return undefined;
  const sentences = answer.parts["sentences"] as string[];
  const text = addToTask(loaded.text, sentences);
  const { template } = readTemplate(text, loaded.file);
  if (!template || text === loaded.text) return undefined;
  const { version } = await project.version({ template, file: loaded.file, text });
  const tried = await runContest(project, name, { ...options, version, against: [] });
  return {
    version,
    sentences,
    result: tried,
    contest: contest(contestantOf(`version ${version}`, tried.report), [contestantOf(`version ${result.report.version}`, result.report)]),
  };
}
