import { existsSync } from "node:fs";
import { copyFile, cp } from "node:fs/promises";
import path from "node:path";
import { YoroshiError } from "../../core/index.js";
import { fillPlan, runJob } from "../../jobs/index.js";
import { contestantOf, openProject, packageFolder, PROJECT_FILE, type Project } from "../../project/index.js";
import { heading, note, out, outJson, quiet } from "../print/print.js";
import type { CommonOptions } from "../with-project.js";
import { fillAndShow } from "./fill.js";
import { printContest, printTrial } from "../print/trial.js";
import { runTrial } from "./trial.js";

const TEMPLATE = "hazard-triage";

/** `yoroshi demo`: a project of a made-up ferry operator, taken through the order of work. */
export async function demo(folder: string, options: CommonOptions): Promise<number> {
  const root = path.resolve(folder);
  const source = packageFolder("demo");
  const isNew = !existsSync(path.join(root, PROJECT_FILE));
  if (isNew && existsSync(root))
    throw new YoroshiError("badOption", { option: folder, problem: "this folder exists and is not a project. Name another." });
  if (isNew) await cp(source, root, { recursive: true });
  const project = await openProject({ cwd: root, onNotice: note });
  try {
    return options.json ? await quietDemo(project) : await walkThrough(project, source, folder, isNew);
  } finally {
    await project.close();
  }
}

async function walkThrough(project: Project, source: string, folder: string, isNew: boolean): Promise<number> {
  out(
    isNew
      ? `The demo project is set up in ${folder}: deck reports of Marrowby Ferries, a made-up operator.`
      : `${folder} is set up already; going on with it.`,
  );
  const file = path.join(project.root, "templates", `${TEMPLATE}.yaml`);

  if (isNew) {
    step("1  Trial of a first draft", "a short task, options without their meanings");
    await copyFile(path.join(source, "drafts", `${TEMPLATE}.first.yaml`), file);
    const first = await runTrial(project, TEMPLATE, { json: true });
    for (const { part, right, graded, accuracy } of first.report.parts)
      out(`  ${part}: ${right} of ${graded} right (${((accuracy ?? 0) * 100).toFixed(1)} %)`);
    await copyFile(path.join(source, "templates", `${TEMPLATE}.yaml`), file);
  }

  step(
    isNew ? "2  Trial of the improved template" : "1  Trial",
    "options with meanings, a described scale, the reason first, two examples",
  );
  const { report, contest, others } = await runTrial(project, TEMPLATE, { json: true });
  const { currency } = project.settings;
  printTrial(report, { currency, all: false, halfWidth: 0.05 });
  if (contest) printContest(contest, contestantOf(`version ${report.version}`, report), others, currency);

  let exit = 0;
  step(isNew ? "3  Three fills of one table" : "2  Three fills of one table", "what is known from before is not asked again");
  for (const plan of ["triage", "headlines", "actions"]) {
    exit = Math.max(exit, await fillAndShow(project, { plan }, { isDemo: true }));
  }
  out(
    `\n${heading("Done.")} The filled table is ${path.join(folder, "deck-log.filled.csv")}; all answers are in ${path.join(folder, ".yoroshi", "ledger.sqlite")}.`,
  );
  out(quiet(`Go on with: cd ${folder}, then yoroshi status triage, yoroshi try triage --row R-012, yoroshi versions ${TEMPLATE}.`));
  note("Everything was answered by the offline stand-in, not by a language model.");
  return exit === 1 ? 0 : exit; // rows without an answer are part of the demo
}

/** The same work for programs: the fills' reports, one object. */
async function quietDemo(project: Project): Promise<number> {
  const { report } = await runTrial(project, TEMPLATE, { json: true });

  const fills = [];
  for (const plan of ["triage", "headlines", "actions"]) {
    const { rows, asked, reused, filled, skipped, failed } = await runJob(fillPlan, project, { plan });
    fills.push({ plan, rows, asked, reused, filled, skipped, failed });
  }
  outJson({
    folder: project.root,
    trial: { version: report.version, parts: report.parts.map(({ part, right, graded, accuracy }) => ({ part, right, graded, accuracy })) },
    fills,
  });
  return 0;
}

function step(title: string, about: string): void {
  out(`\n${heading(title)}  ${quiet(about)}`);
}
