import path from "node:path";
import { fillPlan, runJob, setDemoDraft, setUpDemo, type Project } from "../../jobs/index.js";
import { heading, note, out, outJson, quiet } from "../print/print.js";
import { printContest, printTrial } from "../print/trial.js";
import { withProject, type CommonOptions } from "../with-project.js";
import { fillAndShow } from "./fill.js";
import { runTrial } from "./trial.js";

const TEMPLATE = "hazard-triage";

/** `yoroshi demo`: a project of a made-up ferry operator, taken through the order of work. */
export async function demo(folder: string, options: CommonOptions): Promise<number> {
  const { root, isNew } = await runJob(setUpDemo, undefined, { folder });
  return withProject({ project: root }, (project) => (options.json ? quietDemo(project) : walkThrough(project, folder, isNew)));
}

async function walkThrough(project: Project, folder: string, isNew: boolean): Promise<number> {
  out(
    isNew
      ? `The demo project is set up in ${folder}: deck reports of Marrowby Ferries, a made-up operator.`
      : `${folder} is set up already; going on with it.`,
  );

  if (isNew) {
    step("1  Trial of a first draft", "a short task, options without their meanings");
    await runJob(setDemoDraft, project, { template: TEMPLATE, draft: "first" });
    const first = await runTrial(project, { template: TEMPLATE }, true);
    for (const { part, right, graded, accuracy } of first.parts)
      out(`  ${part}: ${right} of ${graded} right (${((accuracy ?? 0) * 100).toFixed(1)} %)`);
    await runJob(setDemoDraft, project, { template: TEMPLATE, draft: "improved" });
  }

  step(
    isNew ? "2  Trial of the improved template" : "1  Trial",
    "options with meanings, a described scale, the reason first, two examples",
  );
  const report = await runTrial(project, { template: TEMPLATE }, true);
  const { currency } = project.settings;
  printTrial(report, { currency, all: false, halfWidth: 0.05 });
  printContest(report, currency);

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
  const report = await runTrial(project, { template: TEMPLATE }, true);

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
