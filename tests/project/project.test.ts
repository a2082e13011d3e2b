import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import { afterAll, describe, expect, it } from "vitest";
import { fill, preview, survey, trial } from "../../src/index.js";
import { openProject } from "../../src/node.js";
import { demoProject, removeTempFolders, smallProject, tempFolder } from "../helpers/cli.js";
import { inWords } from "../helpers/words.js";

afterAll(removeTempFolders);

describe("a project in code", () => {
  it("is found upwards, and does all that the command line does", async () => {
    const root = demoProject();
    const project = await openProject({ cwd: path.join(root, "plans") });
    expect(project.root).toBe(root);
    expect((await project.listTemplates()).map(({ name }) => name)).toEqual([
      "act-or-not",
      "follow-up",
      "gauge",
      "hazard-triage",
      "inspection",
      "intake",
      "line-judge",
      "one-line",
      "receipt",
      "repair-state",
      "report-details",
      "supplier",
      "sure-hazard",
      "vessel-brief",
    ]);
    const { setup, isStandin } = await project.fillSetup("triage");
    expect(isStandin).toBe(true);
    const before = await preview(setup, { rows: 5 }, (text) => text.length / 4);
    expect(before).toMatchObject({ rows: 248, asked: 5 });
    expect(await fill(setup, { rows: 40 })).toMatchObject({ asked: 40, end: "rowLimit" });
    expect((await survey(setup)).columns["hazard"]).toMatchObject({ filled: expect.any(Number), blank: expect.any(Number) });
    const loaded = await project.template("hazard-triage");
    const prepared = await project.prepare(loaded.template);
    const report = await trial({
      prepared,
      version: (await project.version(loaded)).version,
      model: setup.asking["triage"]!.model,
      ledger: project.ledger(),
      clock: project.clock,
      samples: await project.samples(prepared, undefined),
    });
    expect(report.parts[0]!.accuracy).toBeGreaterThan(0.5);
    expect(report.reused).toBeGreaterThan(0);
    await project.close();
  });

  it("takes a template or plan by its path, from where one stands", async () => {
    const root = demoProject();
    const project = await openProject({ cwd: path.join(root, "drafts") });
    expect((await project.template("hazard-triage.first.yaml")).file).toBe(path.join("drafts", "hazard-triage.first.yaml"));
    expect((await project.template("templates/one-line.yaml")).template.name).toBe("one-line");
    expect(await project.isPlan("plans/triage.yaml")).toBe(true);
    expect(await project.isPlan("templates/one-line.yaml")).toBe(false);
    await project.close();
  });

  it("reads a changed reference at the next run, which makes cells stale", async () => {
    const root = demoProject();
    let project = await openProject({ cwd: root });
    await fill((await project.fillSetup("triage")).setup, { only: ["R-002", "R-003"] });
    await project.close();
    const file = path.join(root, "reference", "hazards.csv");
    writeFileSync(file, `${readFileSync(file, "utf8")}weather,"Gale, fog, swell"\n`);
    project = await openProject({ cwd: root });
    expect((await survey((await project.fillSetup("triage")).setup)).columns["hazard"]).toMatchObject({ stale: 2 });
    expect((await project.prepare((await project.template("hazard-triage")).template)).parts[1]!.tell()).toContain(
      '"weather": Gale, fog, swell',
    );
    await project.close();
  });

  it.each([
    ["no project", (folder: string) => writeFileSync(path.join(folder, "x"), ""), "There is no yoroshi.yaml in"],
    ["an empty file", (folder: string) => writeFileSync(path.join(folder, "yoroshi.yaml"), ""), "yoroshi.yaml:1:1  The file is empty"],
    [
      "an unknown time zone",
      (folder: string) => writeFileSync(path.join(folder, "yoroshi.yaml"), "yoroshi: project/1\ntimeZone: Middle/Earth\n"),
      "There is no time zone `Middle/Earth`",
    ],
    [
      "an endpoint that is no address",
      (folder: string) =>
        writeFileSync(path.join(folder, "yoroshi.yaml"), "yoroshi: project/1\nmodels: { a: { endpoint: models.example.com } }\n"),
      "Expected an address that begins with http",
    ],
    [
      "a currency that is none",
      (folder: string) => writeFileSync(path.join(folder, "yoroshi.yaml"), "yoroshi: project/1\ncurrency: dollars\n"),
      "Expected a currency by its three capital letters",
    ],
    [
      "bytes that are not UTF-8",
      (folder: string) => writeFileSync(path.join(folder, "yoroshi.yaml"), Buffer.from([0xff, 0x41])),
      "yoroshi.yaml cannot be read: it is not UTF-8 text",
    ],
    [
      "a folder for a file",
      (folder: string) => mkdirSync(path.join(folder, "yoroshi.yaml")),
      "yoroshi.yaml cannot be read: it is a folder",
    ],
  ])("says what is wrong with %s", async (_, make, message) => {
    const folder = tempFolder();
    make(folder);
    await expect(openProject({ cwd: folder })).rejects.toThrow(message);
  });

  it("keeps references inside the project, and says which of their columns are missing", async () => {
    const folder = smallProject("id,note\na,x\n");
    const file = path.join(folder, "templates", "sort.yaml");
    const text = readFileSync(file, "utf8");
    const project = await openProject({ cwd: folder });
    const withReference = async (reference: string): Promise<unknown> => {
      writeFileSync(
        file,
        text
          .replace("task:", `references: { topics: ${reference} }\ntask:`)
          .replace('options: { fire: flames and smoke, spill: oil and water, engine: "motors, pumps" }', "options: { from: topics }"),
      );
      return project.prepare((await project.template("sort")).template);
    };
    await expect(withReference("{ file: ../secret.csv }")).rejects.toThrow("leads out of the project");
    writeFileSync(path.join(folder, "topics.csv"), "name,meaning\nfire,flames\n");
    await expect(withReference("{ file: topics.csv, columns: { name: topic } }")).rejects.toThrow(
      "there is no column `topic`, which the reference `topics` reads",
    );
    await expect(withReference("{ file: topics.csv }")).resolves.toBeTruthy();
    writeFileSync(path.join(folder, "topics.csv"), "name,meaning\n");
    await expect(withReference("{ file: topics.csv }")).rejects.toThrow("has no rows, so there is nothing to choose from");
    await project.close();
  });

  it("takes the model that a template names, and says which there are", async () => {
    const project = await openProject({ cwd: smallProject("id,note\na,x\n") });
    expect((await project.models.open(undefined)).name).toBe("quick");
    expect(await project.models.open("quick")).toBe(await project.models.open(undefined));
    await expect(project.models.open("quik")).rejects.toThrow("There is no model `quik`. Did you mean `quick`?");
    await project.close();
  });
});

describe("a project's templates in code", () => {
  it("are asked by name; what is known is not asked again, what is missing is not asked at all", async () => {
    const project = await openProject({ cwd: demoProject() });
    const report = "Line parted at the aft bitts, nobody hurt.";
    const first = await project.ask("hazard-triage", { report });
    expect(first).toMatchObject({ state: "answered", parts: { hazard: "mooring" } });
    expect(inWords(await project.ask("hazard-triage", { report }))).toEqual(first);
    expect(inWords(await project.ask("hazard-triage", { report: "" }))).toMatchObject({
      state: "declined",
      reason: "the crew wrote nothing",
      asks: 0,
    });
    const runs = await project.ledger().runs.find("try", "hazard-triage", 9);
    expect(runs).toHaveLength(1);
    await project.ask("hazard-triage", { report }, { fresh: true });
    expect(await project.ledger().runs.find("try", "hazard-triage", 9)).toHaveLength(2);
    await expect(project.ask("hazard", { report })).rejects.toThrow("There is no template `hazard`");
    await project.close();
  });

  it("with rows, money and days in words are asked with plain values", async () => {
    const project = await openProject({ cwd: demoProject() });
    const answer = await project.ask("repair-state", {
      report: "Fairlead roller cracked.",
      thread: [
        { at: "2026-08-28T17:25", by: "bosun", said: "Ordered a new roller, USD 100.00." },
        { at: "2026-08-29T09:00", by: "yard", said: "It comes in 3 days." },
      ],
    });
    expect(answer).toMatchObject({ state: "answered", parts: { state: "ordered", due: "2026-09-01", cost: 164 } });
    expect(inWords(await project.ask("repair-state", { report: "x", thread: [{ at: "soon", by: "yard", said: "hm" }] }))).toMatchObject({
      state: "declined",
      reason: expect.stringMatching(/^thread has a row 1 whose `at` is not a day and time/) as string,
    });
    expect(inWords(await project.ask("repair-state", { report: "x" }))).toMatchObject({
      state: "declined",
      reason: "no messages about it",
    });
    await project.close();
  });

  it.each([
    [
      "a model that the project lacks, for a second look",
      "sure-hazard",
      "  checks:",
      "  use: carful\n  checks:",
      "The project has no model `carful`. Did you mean `careful`?",
    ],
    [
      "a model that the project lacks, when in doubt",
      "sure-hazard",
      "ask: careful",
      "ask: carefull",
      "The project has no model `carefull`. Did you mean `careful`?",
    ],
    [
      "a passage that is not there",
      "repair-state",
      "passages/house.md",
      "passages/home.md",
      "passages/home.md cannot be read: there is no such file",
    ],
    [
      "a rate column that is not there",
      "repair-state",
      "rate: worth",
      "rate: value",
      "there is no column `value`, which the reference `rates` reads",
    ],
    ["rates that nobody gave", "repair-state", ", rate: worth", "", "The reference `rates` of the template repair-state has no rates."],
    [
      "examples from a file without a column",
      "act-or-not",
      "samples/follow-up.csv",
      "samples/one-line.csv",
      "it has no column `needsAction`",
    ],
    [
      "a base for days that is no date",
      "repair-state",
      "relativeTo: thread.at",
      "relativeTo: thread.by",
      "A day can be counted from `today` or `thread.at`, not from `thread.by`.",
    ],
    ["a way for long inputs without a limit", "sure-hazard", ", maxChars: 400", "", "`report` has no limit to be above."],
    ["half an escalation", "sure-hazard", ", ask: careful", "", "`below` and `ask` belong together"],
  ])("check finds %s", async (_, name, from, to, message) => {
    const root = demoProject();
    const file = path.join(root, "templates", `${name}.yaml`);
    writeFileSync(file, readFileSync(file, "utf8").replace(from, to));
    const project = await openProject({ cwd: root });
    expect((await project.check("template", name)).map((complaint) => complaint.message).join("\n")).toContain(message);
    await project.close();
  });
});
