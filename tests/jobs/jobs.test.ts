import { appendFileSync, readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import { afterAll, afterEach, beforeEach, describe, expect, it } from "vitest";
import type * as z from "zod";
import {
  checkFiles,
  compareVersion,
  explainRow,
  fillPlan,
  listTrials,
  listVersions,
  previewFill,
  restoreTemplate,
  runJob,
  surveyPlan,
  tryRow,
  type FillPlanEvent,
  type Job,
} from "../../src/jobs/index.js";
import { openProject, runContest, type Project } from "../../src/project/index.js";
import { demoProject, notesCsv, removeTempFolders, smallProject } from "../helpers/cli.js";

afterAll(removeTempFolders);
let project: Project;
afterEach(() => project.close());

/** Runs a job and holds its report against its schema: nothing is missing, nothing is there that the schema does not tell. */
async function checked<Input extends z.ZodType, Report extends z.ZodType, Event>(
  job: Job<Input, Report, Event>,
  input: unknown,
  on?: (event: Event) => void,
): Promise<z.output<Report>> {
  const report = await runJob(job, project, input, on ? { on } : {});
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
      state: "declined",
      reason: "the crew wrote nothing",
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
    await runContest(project, "hazard-triage", { grading: { resamples: 0 } });
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
