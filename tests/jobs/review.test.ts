import { readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import { afterAll, afterEach, beforeEach, describe, expect, it } from "vitest";
import type * as z from "zod";
import {
  addStep,
  approveVersion,
  checkModels,
  decide,
  drawCheck,
  explainRow,
  exportReview,
  fillPlan,
  findKeys,
  importReview,
  judgeChecked,
  keepAsSamples,
  labelRow,
  letStand,
  listVersions,
  lookAtTable,
  newPlan,
  openProject,
  pointPlan,
  readCheck,
  readReview,
  runJob,
  settleSamples,
  showReview,
  startProject,
  surveyPlan,
  tryFirst,
  undoDecision,
  undoFill,
  writeReview,
  type Job,
  type Project,
} from "../../src/jobs/index.js";
import { demoProject, notesCsv, removeTempFolders, smallProject, tempFolder } from "../helpers/cli.js";

afterAll(removeTempFolders);
let project: Project;
afterEach(() => project.close());

/** Runs a job and holds its report against its schema: nothing is missing, nothing is there that the schema does not tell. */
async function checked<Input extends z.ZodType, Report extends z.ZodType, Event, Subject>(
  job: Job<Input, Report, Event, Subject>,
  input: z.input<Input>,
  subject = project as Subject,
): Promise<z.output<Report>> {
  const report = await runJob(job, subject, input);
  const plain = JSON.parse(JSON.stringify(report)) as object;
  expect(job.report.parse(plain)).toEqual(plain);
  return report as z.output<Report>;
}

describe("jobs of review on the demo", () => {
  beforeEach(async () => {
    project = await openProject({ cwd: demoProject() });
    await runJob(fillPlan, project, {
      plan: "reviewed",
      only: Array.from({ length: 60 }, (_, index) => `R-${String(index + 1).padStart(3, "0")}`),
    });
  });

  it("read, decide, take back, write and explain", async () => {
    const plan = "reviewed";
    const { rows, held, columns } = await checked(readReview, { plan, limit: 5 });
    expect(held["triage"]!.person).toBeGreaterThanOrEqual(rows.length);
    expect(columns["triage"]!.map(({ column }) => column)).toEqual(["safeHazard", "safeSeverity"]);
    const [row] = rows;
    const judged = Object.fromEntries(row!.values.map((value) => [value.column, value.judged]));
    const decision = { plan, step: row!.step, key: row!.key, by: "ada", judged, tookMs: 1_200 };
    const { act } = await checked(decide, {
      ...decision,
      columns: { safeHazard: { how: "accept" }, safeSeverity: { how: "edit", value: "3" } },
    });
    await expect(runJob(decide, project, { ...decision, columns: { safeHazard: { how: "accept" } } })).resolves.toBeDefined();
    expect(await checked(writeReview, { plan })).toMatchObject({ written: true });
    const explained = await checked(explainRow, { plan, key: row!.key });
    expect(explained.steps[0]!.decisions.map(({ how }) => how)).toEqual(["accept", "edit", "accept"]);
    expect(await checked(undoDecision, { plan, act, by: "bo" })).toMatchObject({ key: row!.key });
    expect((await checked(showReview, { plan })).people.reviewers[0]).toMatchObject({ by: "reviewer 1" });
    await checked(surveyPlan, { plan, empty: true });
  });

  it("draw and judge a random check, blind, and tell how wrong the columns are", async () => {
    const plan = "reviewed";
    expect(await checked(readCheck, { plan })).toBeNull();
    const drawn = await checked(drawCheck, { plan, rows: 10, by: "ada" });
    expect(drawn.needed).toBeGreaterThan(0);
    const open = (await checked(readCheck, { plan, rows: 10 }))!;
    expect(open.rows).toHaveLength(10);
    expect(JSON.stringify(open.rows[0]!.values)).toBe("{}");
    const [row] = open.rows;
    const told = await checked(judgeChecked, {
      plan,
      step: open.step,
      key: row!.key,
      found: { safeHazard: "fire", safeSeverity: "1" },
      judged: row!.judged,
      by: "ada",
    });
    expect(Object.keys(told.columns)).toEqual(["safeHazard", "safeSeverity"]);
    await expect(
      runJob(judgeChecked, project, {
        plan,
        step: open.step,
        key: row!.key,
        found: { safeHazard: "lava" },
        judged: row!.judged,
        by: "ada",
      }),
    ).rejects.toMatchObject({ code: "decisionUnfit" });
    expect((await checked(showReview, { plan, names: true })).checks[0]!.columns[0]).toMatchObject({ checked: 1 });
    expect(await checked(keepAsSamples, { plan, samples: "samples/new.csv" })).toMatchObject({ added: 1 });
  });

  it("go out and come back by CSV, with what does not fit told by its place", async () => {
    const plan = "reviewed";
    const { rows } = await checked(exportReview, { plan, file: "held.csv" });
    expect(rows).toBeGreaterThan(3);
    const file = path.join(project.root, "held.csv");
    const lines = readFileSync(file, "utf8").split("\n");
    // decision, reason, mark are the last columns.
    lines[1] = lines[1]!.replace(/,,,([0-9a-f]+)$/, ",accept,,$1");
    writeFileSync(file, lines.join("\n"));
    const back = await checked(importReview, { plan, file: "held.csv", by: "bo" });
    expect(back).toMatchObject({ decided: 1, problems: [], movedOn: [] });
    await expect(runJob(importReview, project, { plan, file: "deck-log.csv", by: "bo" })).rejects.toMatchObject({ code: "tableBroken" });
    await expect(runJob(exportReview, project, { plan, file: "held.csv" })).rejects.toMatchObject({ code: "badOption" });
  });

  it("approve a version, let cells stand, undo a run", async () => {
    await checked(approveVersion, { template: "hazard-triage", version: 1, by: "ada" });
    expect((await checked(listVersions, { template: "hazard-triage" })).versions[0]).toMatchObject({ approved: { by: "ada" } });
    await expect(runJob(approveVersion, project, { template: "hazard-triage", version: 9, by: "ada" })).rejects.toMatchObject({
      code: "notFound",
    });
    expect(await checked(letStand, { plan: "reviewed", by: "ada" })).toMatchObject({ rows: { triage: 0 } });
    const undone = await checked(undoFill, { plan: "reviewed", run: "last" });
    expect(undone.rows["triage"]).toBeGreaterThan(50);
    expect((await checked(readReview, { plan: "reviewed" })).rows).toEqual([]);
  });
});

describe("jobs that begin", () => {
  it("look at a table, make a project around it, and try its first rows", async () => {
    const folder = tempFolder();
    writeFileSync(path.join(folder, "t.csv"), notesCsv(30));
    const place = { file: "t.csv" };
    const look = await checked(lookAtTable, { folder, place }, undefined);
    expect(look.columns.map(({ name, looksLike }) => [name, looksLike])).toContainEqual(["note", "text"]);
    expect(await checked(findKeys, { folder, place }, undefined)).toMatchObject({ rows: 30, candidates: [{ column: "id", blank: 0 }, {}] });
    const made = await checked(startProject, { folder, place, key: "id", wanted: { what: "summary" }, from: ["note"] }, undefined);
    project = await openProject({ cwd: made.root });
    expect((await checked(tryFirst, { plan: made.plan })).rows).toHaveLength(3);
    expect(await checked(checkModels, {})).toEqual({ models: [] });
    await expect(
      runJob(startProject, undefined, { folder, place, key: "nope", wanted: { what: "summary" }, from: ["note"] }),
    ).rejects.toMatchObject({
      code: "notFound",
    });
  });

  it("write plans, add steps and point them elsewhere", async () => {
    const folder = smallProject(notesCsv(4));
    project = await openProject({ cwd: folder });
    expect(await checked(newPlan, { plan: "fresh", template: "sort", file: "log.csv" })).toMatchObject({
      inputs: { note: "note" },
      key: ["id"],
    });
    expect(await checked(addStep, { plan: "log", template: "sort" })).toMatchObject({ step: "sort-2", fill: { "topic 2": "topic" } });
    writeFileSync(path.join(folder, "next.csv"), notesCsv(2));
    expect(await checked(pointPlan, { plan: "log", file: "next.csv" })).toMatchObject({ from: "log.csv", to: "next.csv", isBack: false });
    await expect(runJob(newPlan, project, { plan: "fresh", template: "sort", file: "log.csv" })).rejects.toMatchObject({
      code: "badOption",
    });
  });

  it("bring two people's labels together, and keep how long each took", async () => {
    const folder = smallProject(notesCsv(2));
    project = await openProject({ cwd: folder });
    const file = "samples/sort.csv";
    const { mkdirSync } = await import("node:fs");
    mkdirSync(path.join(folder, "samples"));
    writeFileSync(path.join(folder, file), "id,note\n1,smoke in the galley\n2,oil on deck\n");
    const label = (person: string, row: number, topic: string): Promise<unknown> =>
      runJob(labelRow, project, { file, person, row, values: { topic, level: "2" }, tookMs: 1_500 });
    for (const [person, row, topic] of [
      ["ada", 1, "fire"],
      ["bo", 1, "fire"],
      ["ada", 2, "spill"],
      ["bo", 2, "engine"],
    ] as const)
      await label(person, row, topic);
    const settled = await checked(settleSamples, { file });
    expect(settled).toMatchObject({
      people: ["ada", "bo"],
      taken: 3,
      disputes: [{ row: 2, part: "topic", said: { ada: "spill", bo: "engine" } }],
    });
    expect(readFileSync(path.join(folder, file), "utf8")).toMatch(/labelSeconds@ada/);
    await runJob(labelRow, project, { file, row: 2, values: { topic: "spill" } });
    expect(await checked(settleSamples, { file })).toMatchObject({ taken: 0, stood: 4, disputes: [] });
  });
});
