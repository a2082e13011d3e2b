import { writeFile } from "node:fs/promises";
import { trialPage } from "../adapters/html-report/index.js";
import { YoroshiError } from "../core/index.js";
import { contestantOf, type ContestResult } from "./contest.js";
import type { Project } from "../project/index.js";

/** Writes a trial's report as one HTML file. */
export async function writeTrialReport(
  project: Project,
  { report, others, contest, isStandin }: ContestResult,
  file: string,
  halfWidth: number,
): Promise<void> {
  const madeAt = `${new Date(project.clock.now()).toISOString().slice(0, 16).replace("T", " ")} UTC`;
  const page = trialPage({
    report,
    first: contestantOf(`version ${report.version}`, report),
    others,
    contest,
    currency: project.settings.currency,
    madeAt,
    halfWidth,
    isStandin,
  });
  await writeFile(file, page).catch((error: unknown) => {
    throw new YoroshiError("fileUnwritable", { file, problem: (error as { code?: string }).code ?? "it failed" }, { cause: error });
  });
}
