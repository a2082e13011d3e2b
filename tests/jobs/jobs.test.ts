import { appendFileSync, readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import { afterAll, afterEach, beforeEach, describe, expect, it } from "vitest";
import type * as z from "zod";
import {
  checkFiles,
  compareVersion,
  copyTemplate,
  draftTemplate,
  drawSamples,
  explainRow,
  exportLedger,
  fillPlan,
  labelRow,
  listFaults,
  listFiles,
  listStarters,
  listTrials,
  listVersions,
  openProject,
  packTemplates,
  previewFill,
  pruneLedger,
  readLabels,
  restoreTemplate,
  runJob,
  sealSamples,
  serveStandin,
  setDemoDraft,
  setUpDemo,
  showPlan,
  showTemplate,
  surveyPlan,
  trialTemplate,
  tryRow,
  unpackTemplates,
  writeStarter,
  writeTypes,
  type FillPlanEvent,
  type Job,
  type Project,
  type TypesEvent,
} from "../../src/jobs/index.js";
import { demoProject, notesCsv, removeTempFolders, smallProject } from "../helpers/cli.js";

afterAll(removeTempFolders);
let project: Project;
afterEach(() => project.close());

/** Runs a job and holds its report against its schema: nothing is missing, nothing is there that the schema does not tell. */
async function checked<Input extends z.ZodType, Report extends z.ZodType, Event>(
  job: Job<Input, Report, Event>,
  input: z.input<Input>,
  on?: (event: Event) => void,
): Promise<z.output<Report>> {
  return held(job, await runJob(job, project, input, on ? { on } : {}));
}

function held<Report extends z.ZodType>(job: { readonly report: Report }, report: z.input<Report>): z.output<Report> {
  const plain = JSON.parse(JSON.stringify(report)) as object;
  expect(job.report.parse(plain)).toEqual(plain);
  return report as z.output<Report>;
}

describe("jobs on the demo", () => {
  beforeEach(async () => {
    project = await openProject({ cwd: demoProject() });
  });

  it("try a row of a plan, and a template on its own sample", async () => {
    const tried = await checked(tryRow, { of: "triage", row: "R-012" });
    expect(tried).toMatchObject({
      template: "hazard-triage",
      state: "answered",
      known: false,
      standin: true,
      from: expect.stringContaining("R-012"),
    });
    expect(tried).toMatchObject({
      cells: [
        { part: "why", kind: "text" },
        { part: "hazard", kind: "choice" },
        { part: "severity", kind: "score" },
      ],
    });
    expect(await checked(tryRow, { of: "triage", row: "R-012" })).toMatchObject({ known: true });
    expect(await checked(tryRow, { of: "hazard-triage" })).toMatchObject({ from: "the template's own sample" });
    expect(await checked(tryRow, { of: "hazard-triage", inputs: { report: "" } })).toEqual({
      template: "hazard-triage",
      from: "the inputs given",
      inputs: { report: "" },
      state: "declined",
      reason: "the crew wrote nothing",
      reasonCode: "told",
    });
  });

  it("preview, fill, survey and explain, with events on the way", async () => {
    expect(await checked(previewFill, { plan: "triage" })).toMatchObject({ dryRun: true, rows: 248, priced: true });
    const events: FillPlanEvent[] = [];
    const filled = await checked(fillPlan, { plan: "triage", only: ["R-012", "R-013"] }, (event) => events.push(event));
    expect(filled).toMatchObject({ plan: "triage", end: "done", rows: 2, filled: 2, written: true });
    expect(events[0]).toEqual({ type: "begin", plan: "triage" });
    expect(events.at(-1)).toMatchObject({ type: "end", filled: { filled: 2 } });
    expect(events.some(({ type }) => type === "progress")).toBe(true);
    const survey = await checked(surveyPlan, { plan: "triage", empty: true });
    expect(survey.columns["hazard"]).toMatchObject({ filled: 2 });
    expect(survey.empty!.length).toBe(3 * 246);
    const { steps } = await checked(explainRow, { plan: "triage", key: "R-012" });
    expect(steps).toMatchObject([{ key: "R-012", state: "filled", same: true, answer: { template: "hazard-triage" } }]);
  });
});

describe("jobs on files", () => {
  let folder: string;
  beforeEach(async () => {
    folder = demoProject();
    project = await openProject({ cwd: folder });
  });

  it("check all of them, or those that are named, with the place of every mistake", async () => {
    expect(await checked(checkFiles, {})).toMatchObject({ mistakes: 0 });
    const file = path.join(folder, "templates/hazard-triage.yaml");
    writeFileSync(file, readFileSync(file, "utf8").replace("kind: score", "kind: skore"));
    const { checked: found, mistakes } = await checked(checkFiles, { names: ["hazard-triage", "triage"] });
    expect(found.map(({ what, name }) => `${what} ${name}`)).toEqual(["template hazard-triage", "plan triage"]);
    expect(found[0]!.complaints).toMatchObject([
      { code: "unknownKind", place: { file: "templates/hazard-triage.yaml", line: expect.any(Number) } },
    ]);
    expect(mistakes).toBeGreaterThan(0);
  });

  it("list the trials of the project, with who did best on which part", async () => {
    expect(await checked(listTrials, {})).toEqual({ trials: [] });
    await checked(trialTemplate, { template: "hazard-triage", resamples: 0 });
    const { trials } = await checked(listTrials, {});
    expect(trials).toMatchObject([{ template: "hazard-triage", version: 1, samples: 97, best: ["hazard", "severity"] }]);
    expect(Object.keys(trials[0]!.parts)).toEqual(["hazard", "severity"]);
  });

  it("list a template's versions, show what one changed, and restore one", async () => {
    expect((await checked(listVersions, { template: "hazard-triage" })).versions).toMatchObject([
      { version: 1, current: true, change: null, trials: 0 },
    ]);
    const file = path.join(folder, "templates/hazard-triage.yaml");
    const before = readFileSync(file, "utf8");
    writeFileSync(file, before.replace("role: You are", "role: You surely are"));
    expect((await checked(listVersions, { template: "hazard-triage" })).versions).toMatchObject([
      { current: false },
      { version: 2, current: true, change: { added: 1, removed: 1, keys: ["role"] } },
    ]);
    const { parts } = await checked(compareVersion, { template: "hazard-triage", version: 2 });
    expect(parts.filter(({ added }) => added).map(({ value }) => value.trim())).toEqual([expect.stringContaining("role: You surely are")]);
    await expect(runJob(compareVersion, project, { template: "hazard-triage", version: 9 })).rejects.toMatchObject({ code: "notFound" });
    expect(await checked(restoreTemplate, { template: "hazard-triage", version: 1 })).toMatchObject({
      restored: 1,
      file: "templates/hazard-triage.yaml",
    });
    expect(readFileSync(file, "utf8")).toBe(before);
  });
});

describe("jobs of samples, trials and templates", () => {
  let folder: string;
  beforeEach(async () => {
    folder = demoProject();
    project = await openProject({ cwd: folder });
  });
  const there = (file: string): string => path.join(folder, file);

  it("grade, compare, write a page and suggest, with progress on the way", async () => {
    const seen: number[] = [];
    const report = await checked(
      trialTemplate,
      {
        template: "hazard-triage",
        against: ["column=hazard:ruleHazard", "temperature=0.7"],
        slices: ["vessel"],
        asks: 2,
        resamples: 50,
        page: there("trial.html"),
        suggest: true,
      },
      ({ done }) => seen.push(done),
    );
    expect(report).toMatchObject({
      samples: 97,
      standin: true,
      reportFile: there("trial.html"),
      suggestion: { version: expect.any(Number) },
    });
    expect(report.contestants.map(({ name }) => name)).toEqual(["column ruleHazard", "temperature 0.7"]);
    expect(report.contestants[0]).toMatchObject({ costPerThousand: null, parts: { hazard: expect.any(Number) } });
    expect(report.contest!.against[0]!.parts).toMatchObject([{ part: "hazard", rows: 97 }]);
    expect(seen[0]).toBe(0);
    expect(seen).toContain(97);
    expect(readFileSync(there("trial.html"), "utf8")).toContain("Trial of hazard-triage, version 1");
    // What the ledger keeps of a trial is what was told of it.
    const { trials } = await checked(listTrials, {});
    expect(trials.at(-1)).toMatchObject({ version: 1, samples: 97, parts: { hazard: report.parts[0]!.accuracy } });
  });

  it("draw, label and seal; a value that does not fit, or a row that has changed, saves nothing", async () => {
    expect(await checked(drawSamples, { plan: "triage", rows: 3, samples: there("samples/new.csv") })).toMatchObject({ drawn: 3 });
    const about = { file: "samples/new.csv", template: "hazard-triage" };
    const sheet = await checked(readLabels, about);
    expect(sheet).toMatchObject({ open: 3, inputs: ["report"], parts: [{ name: "hazard" }, { name: "severity" }] });
    expect(sheet.parts[0]!.options).toContain("mooring");
    const [first] = sheet.rows;
    const before = readFileSync(there("samples/new.csv"), "utf8");
    expect(await checked(labelRow, { ...about, row: 1, values: { hazard: "moorings" } })).toMatchObject({
      unfit: ["hazard"],
      saved: false,
    });
    expect(await checked(labelRow, { ...about, row: 1, values: { hazard: "mooring" }, save: false })).toMatchObject({ saved: false });
    await expect(runJob(labelRow, project, { ...about, row: 1, mark: "other", values: { hazard: "mooring" } })).rejects.toMatchObject({
      message: expect.stringContaining("row 1 has changed since it was shown"),
    });
    await expect(runJob(labelRow, project, { ...about, row: 9, values: {} })).rejects.toMatchObject({ code: "samplesUnfit" });
    expect(readFileSync(there("samples/new.csv"), "utf8")).toBe(before);
    const values = { hazard: "Mooring", severity: "4" };
    expect(await checked(labelRow, { ...about, row: 1, mark: first!.mark, values })).toMatchObject({
      saved: true,
      open: false,
      labels: { hazard: "mooring", severity: "4" },
    });
    expect(await checked(readLabels, about)).toMatchObject({ open: 2 });
    expect(await checked(sealSamples, { file: "samples/new.csv", share: 0.5 })).toMatchObject({ rows: 3, sealed: 2 });
  });

  it("list and show templates and plans", async () => {
    const { templates, plans } = await checked(listFiles, {});
    expect(templates.find(({ name }) => name === "one-line")).toMatchObject({ tags: ["summary"], broken: false });
    expect(plans!.find(({ name }) => name === "triage")).toMatchObject({ fills: ["hazard", "severity", "severityWhy"] });
    expect(await checked(listFiles, { tag: "groups" })).toMatchObject({ templates: [{ name: "vessel-brief" }] });
    const shown = await checked(showTemplate, { template: "hazard-triage" });
    expect(shown.prompt[0]!.role).toBe("system");
    expect(shown).toMatchObject({ inputs: [{ name: "report", kind: "text", required: true }], schema: { type: "object" } });
    expect(await checked(showPlan, { plan: "by-vessel" })).toMatchObject({ madeOf: expect.arrayContaining([expect.anything()]) });
    expect(await checked(showPlan, { plan: "rounds" })).toMatchObject({ steps: expect.arrayContaining([expect.objectContaining({})]) });
  });

  it("begin a template from a starter, from another, and from words", async () => {
    const { starters } = held(listStarters, await runJob(listStarters, undefined, {}));
    expect(starters.length).toBeGreaterThan(10);
    expect(await checked(writeStarter, { starter: "topics", template: "mine" })).toMatchObject({ files: ["templates/mine.yaml"] });
    expect(await checked(copyTemplate, { from: "mine", template: "yours" })).toMatchObject({ files: ["templates/yours.yaml"] });
    expect((await project.template("yours")).template.name).toBe("yours");
    const drafted = { template: "drafted", description: "Sort reports into fire, water and other.", table: "deck-log.csv" };
    const draft = await checked(draftTemplate, drafted);
    expect(draft).toMatchObject({ written: false, file: "templates/drafted.yaml", standin: true });
    expect((await checked(draftTemplate, { ...drafted, write: true })).written).toBe(draft.usable);
  });

  it("carry templates from one project to another", async () => {
    const file = there("triage.zip");
    expect((await checked(packTemplates, { file, templates: ["hazard-triage"] })).files).toContain("templates/hazard-triage.yaml");
    appendFileSync(there("reference/hazards.csv"), "odd,one more\n");
    expect(await checked(unpackTemplates, { file })).toMatchObject({ written: false, files: [{ state: "conflict" }] });
    const again = await checked(unpackTemplates, { file, overwrite: ["reference/hazards.csv"] });
    expect(again).toMatchObject({ written: true });
    expect(again.files).toContainEqual({ path: "reference/hazards.csv", state: "overwritten" });
  });

  it("bring out what the ledger holds, and let it forget what no cell rests on", async () => {
    await checked(fillPlan, { plan: "triage", only: ["R-012"] });
    await checked(tryRow, { of: "one-line" });
    expect(await checked(exportLedger, { file: there("all.jsonl"), what: "answers" })).toMatchObject({ count: 2 });
    expect(readFileSync(there("all.jsonl"), "utf8").trim().split("\n")).toHaveLength(2);
    expect(await checked(pruneLedger, { olderThanDays: 1 })).toEqual({ forgotten: 0 });
    expect(await checked(pruneLedger, { olderThanDays: 0 })).toEqual({ forgotten: 1 });
  });

  it("write types, and again when a template changes, until told to end", async () => {
    const ending = new AbortController();
    const events: TypesEvent[] = [];
    const running = runJob(
      writeTypes,
      project,
      { watch: true },
      {
        signal: ending.signal,
        on: (event) => {
          events.push(event);
          if (events.length === 1) appendFileSync(there("templates/one-line.yaml"), "# a remark\n");
          else ending.abort();
        },
      },
    );
    expect(held(writeTypes, await running)).toMatchObject({ changed: false, broken: [] });
    expect(events).toMatchObject([{ report: { changed: true } }, { report: { changed: false } }]);
    expect(readFileSync(there("yoroshi-templates.d.ts"), "utf8")).toContain('"hazard-triage"');
  });

  it("set up the demo, with its first draft, and serve the stand-in", async () => {
    const demo = await runJob(setUpDemo, undefined, { folder: there("demo") });
    expect(demo).toEqual({ root: there("demo"), isNew: true });
    expect(await runJob(setUpDemo, undefined, { folder: there("demo") })).toMatchObject({ isNew: false });
    const text = readFileSync(there("templates/hazard-triage.yaml"), "utf8");
    await checked(setDemoDraft, { template: "hazard-triage", draft: "first" });
    expect(readFileSync(there("templates/hazard-triage.yaml"), "utf8")).not.toBe(text);
    expect(held(listFaults, await runJob(listFaults, undefined, {})).faults.length).toBeGreaterThan(5);
    const ending = new AbortController();
    let status = 0;
    const served = await runJob(
      serveStandin,
      undefined,
      { key: "k" },
      {
        signal: ending.signal,
        on: ({ endpoint }) =>
          void fetch(`${endpoint}/chat/completions`, { method: "POST", body: "{}" }).then((response) => {
            status = response.status;
            ending.abort();
          }),
      },
    );
    expect([status, served.endpoint]).toEqual([401, expect.stringContaining("http://127.0.0.1")]);
  });
});

describe("jobs on a small project", () => {
  let folder: string;
  beforeEach(async () => {
    folder = smallProject(notesCsv(6));
    project = await openProject({ cwd: folder });
  });

  it("fill what is made of a plan's rows only where that is asked for", async () => {
    writeFileSync(
      path.join(folder, "plans/topics.yaml"),
      "yoroshi: plan/1\nname: topics\ntable: { groups: { of: log, by: topic, figures: { notes: { count: all } } }, file: topics.csv }\n",
    );
    expect(await checked(fillPlan, { plan: "log" })).toMatchObject({ feeds: ["topics"] });
    const both = await checked(fillPlan, { plan: "log", derived: true });
    expect(both.derived).toMatchObject([{ plan: "topics", madeOf: "log", end: "done" }]);
    expect(await checked(previewFill, { plan: "log", derived: true })).toMatchObject({ derived: [{ plan: "topics" }] });
    expect(readFileSync(path.join(folder, "topics.csv"), "utf8")).toContain("fire");
  });

  it("tell in their report what ended a run, and survey what the month has left", async () => {
    appendFileSync(path.join(folder, "yoroshi.yaml"), "limits: { spendPerMonth: 0.0005 }\n");
    await project.close();
    project = await openProject({ cwd: folder });
    const report = await checked(fillPlan, { plan: "log", probe: false });
    expect(report).toMatchObject({ end: "spendCap", capped: { why: "month" } });
    expect((await checked(surveyPlan, { plan: "log" })).month!.cap).toBe(0.0005);
  });

  it("refuse input that is none, and say which key", async () => {
    await expect(runJob(tryRow, project, { of: "sort", rwo: "n1" })).rejects.toMatchObject({
      code: "badInput",
      message: expect.stringContaining("rwo"),
    });
    await expect(runJob(fillPlan, project, { plan: "log", sample: 0 })).rejects.toMatchObject({
      code: "badInput",
      message: expect.stringContaining("`sample`"),
    });
    await expect(runJob(fillPlan, project, { plan: "log", columns: ["topik"] })).rejects.toMatchObject({
      code: expect.stringMatching(/badOption|notFound/),
    });
    await expect(runJob(surveyPlan, project, { plan: "lgo" })).rejects.toMatchObject({ code: "notFound" });
  });
});
