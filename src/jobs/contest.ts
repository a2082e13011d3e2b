import {
  contest,
  earlierTrial,
  gradeColumns,
  MOST_ROWS_PER_REQUEST,
  readTemplate,
  trial,
  whyAlone,
  YoroshiError,
  type Contest,
  type Contestant,
  type Judge,
  type PartGrade,
  type Prepared,
  type SampleOptions,
  type Samples,
  type TrialOptions,
  type TrialReport,
} from "../core/index.js";
import type { LoadedTemplate, Project } from "../project/index.js";
import { findVersion } from "./find-version.js";

/** What a trial in a project takes, beyond what a trial takes. */
export interface ContestOptions extends TrialOptions, SampleOptions {
  readonly samples?: string | undefined;
  /** An earlier version instead of today's file. */
  readonly version?: number | undefined;
  /**
   * Whom to compare with: a version's number, a template's name, `model=NAME`, `temperature=0.5`, `rowsPerRequest=5`,
   * `column=PART:COLUMN`.
   */
  readonly against?: readonly string[] | undefined;
  /** Part -> name of the template that judges its texts. */
  readonly judgeBy?: Readonly<Record<string, string>> | undefined;
}

export interface ContestResult {
  readonly report: TrialReport;
  /** The trials of the other contestants that were asked now; those of an earlier run are not among them. */
  readonly others: readonly Contestant[];
  readonly contest: Contest | undefined;
  readonly samples: Samples;
  readonly isStandin: boolean;
}

/** Runs a trial and those it is compared with; with nobody named, compares with the last other version that was tried. */
export async function runContest(project: Project, name: string, options: ContestOptions): Promise<ContestResult> {
  const first = await versionOf(project, await project.template(name), options.version);
  const { report, samples, isStandin } = await runOne(project, first, undefined, options);
  const others: Contestant[] = [];
  for (const one of options.against ?? []) others.push(await otherContestant(project, first, samples, one, options));
  if ((options.against ?? []).length === 0) {
    const before = await earlierTrial(project.ledger(), report);
    if (before) others.push(contestantOf(`version ${before.version}`, before));
  }
  const own = contestantOf(`version ${report.version}`, report);
  return { report, others, contest: others.length > 0 ? contest(own, others) : undefined, samples, isStandin };
}

export function contestantOf(name: string, report: TrialReport): Contestant {
  const rows = Math.max(1, report.samples);
  return {
    name,
    parts: report.parts,
    costPerThousand: Math.round((report.worth / rows) * 1000),
    msPerThousand: Math.round((report.answerMs / rows) * 1000),
  };
}

async function runOne(
  project: Project,
  loaded: LoadedTemplate,
  modelName: string | undefined,
  options: ContestOptions,
): Promise<{ report: TrialReport; samples: Samples; isStandin: boolean }> {
  const prepared = await project.prepare(loaded.template);
  const samples = await project.samples(prepared, options.samples, {
    ...(options.map ? { map: options.map } : {}),
    ...(options.judge ? { judge: options.judge } : {}),
  });
  const { model, others, isStandin } = await project.openModels(
    modelName === undefined ? loaded.template : { ...loaded.template, model: { ...loaded.template.model, use: modelName } },
  );
  const { version } = await project.version(loaded);
  const judges = Object.fromEntries(
    await Promise.all(
      Object.entries(options.judgeBy ?? {}).map(async ([part, judge]) => [part, await judgeOf(project, prepared, part, judge)] as const),
    ),
  );
  const report = await trial(
    { prepared, version, model, others, ledger: project.ledger(), clock: project.clock, samples, monthlyCap: project.monthlyCap },
    { ...options, judges },
  );
  return { report, samples, isStandin };
}

async function judgeOf(project: Project, judged: Prepared, part: string, name: string): Promise<Judge> {
  if (!judged.parts.some((one) => one.name === part))
    throw new YoroshiError("badOption", {
      option: "--judge-by",
      problem: `${judged.template.name} has no part \`${part}\`. Parts: ${judged.parts.map((one) => one.name).join(", ")}.`,
    });
  const loaded = await project.template(name);
  const { model, others } = await project.openModels(loaded.template);
  return { prepared: await project.prepare(loaded.template), version: (await project.version(loaded)).version, model, others };
}

async function otherContestant(
  project: Project,
  first: LoadedTemplate,
  samples: Samples,
  named: string,
  options: ContestOptions,
): Promise<Contestant> {
  const [what, value] = named.includes("=")
    ? [named.slice(0, named.indexOf("=")), named.slice(named.indexOf("=") + 1)]
    : [undefined, named];
  const plain = { ...options, asks: 1, slices: [], judgeBy: {} };
  if (what === "column") return columnContestant(project, first, samples, value, options);
  if (what === "model") return contestantOf(`model ${value}`, (await runOne(project, first, value, plain)).report);
  if (what === "temperature") {
    const temperature = Number(value);
    if (!(temperature >= 0 && temperature <= 2))
      throw new YoroshiError("badOption", { option: "--against", problem: `a temperature is a number from 0 to 2, not \`${value}\`.` });
    return contestantOf(
      `temperature ${value}`,
      (
        await runOne(
          project,
          { ...first, template: { ...first.template, model: { ...first.template.model, temperature } } },
          undefined,
          plain,
        )
      ).report,
    );
  }
  if (what === "rowsPerRequest")
    return contestantOf(
      `${value} rows a request`,
      (await runOne(project, first, undefined, { ...plain, rowsPerRequest: rowsPerRequest(first, value) })).report,
    );
  if (what !== undefined)
    throw new YoroshiError("badOption", {
      option: "--against",
      problem: `\`${what}=\` is not known. Name a version's number, a template, model=NAME, temperature=NUMBER, rowsPerRequest=NUMBER or column=PART:COLUMN.`,
    });
  if (/^\d+$/.test(value))
    return contestantOf(
      `version ${value}`,
      (await runOne(project, await versionOf(project, first, Number(value)), undefined, plain)).report,
    );
  const other = await project.template(value);
  return contestantOf(
    `template ${other.template.name}`,
    (await runOne(project, other, undefined, { ...plain, samples: options.samples ?? samples.file })).report,
  );
}

function rowsPerRequest({ template }: LoadedTemplate, value: string): number {
  const rows = Number(value);
  const bad = !(Number.isInteger(rows) && rows >= 2 && rows <= MOST_ROWS_PER_REQUEST)
    ? `rows in a request are a whole number from 2 to ${MOST_ROWS_PER_REQUEST}, not \`${value}\`.`
    : whyAlone(template);
  if (bad !== undefined) throw new YoroshiError("badOption", { option: "--against", problem: bad });
  return rows;
}

export async function columnContestant(
  project: Project,
  first: LoadedTemplate,
  samples: Samples,
  named: string,
  options: ContestOptions,
): Promise<Contestant> {
  const [part = "", column = part] = named.split(":");
  const bad = (problem: string): never => {
    throw new YoroshiError("badOption", { option: "--against", problem });
  };
  if (!samples.graded.includes(part))
    bad(`\`${part}\` is no part with right values. Write column=PART:COLUMN; parts: ${samples.graded.join(", ")}.`);
  if (!samples.columns.includes(column)) bad(`${samples.file} has no column \`${column}\`. Columns: ${samples.columns.join(", ")}.`);
  const chosen = samples.samples.filter((sample) => sample.sealed === (options.sealed ?? false));
  const parts: PartGrade[] = gradeColumns(
    await project.prepare(first.template),
    { ...samples, samples: chosen },
    { [part]: column },
    options.grading,
  );
  return { name: `column ${column}`, parts };
}

/** An earlier version of a template, as the ledger keeps it. */
export async function versionOf(project: Project, loaded: LoadedTemplate, version: number | undefined): Promise<LoadedTemplate> {
  if (version === undefined) return loaded;
  const { found } = await findVersion(project, loaded, version);
  const { template } = readTemplate(found.text, loaded.file);
  if (!template) throw new YoroshiError("misuse", { problem: `Version ${version} of ${loaded.template.name} can no longer be read.` });
  return { template, file: loaded.file, text: found.text };
}
