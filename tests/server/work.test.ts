import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import BetterSqlite from "better-sqlite3";
import { parse } from "csv-parse/sync";
import { afterAll, afterEach, describe, expect, it } from "vitest";
import { ServerError } from "../../src/client/index.js";
import { standinServer, type StandinServer } from "../../src/node.js";
import { demoProject, notesCsv, removeTempFolders, run, smallProject } from "../helpers/cli.js";
import { python, PYTHON } from "../helpers/other-programs.js";
import { closeServed, serve, untilOver, type ServedProject } from "../helpers/served.js";

afterAll(removeTempFolders);
const open: { close(): unknown }[] = [];
afterEach(async () => {
  await closeServed();
  for (const one of open.splice(0)) await one.close();
});

async function world(
  rows: number,
  options: Parameters<typeof standinServer>[0] = {},
  more = "",
): Promise<{ host: StandinServer; here: ServedProject }> {
  const host = await standinServer(options);
  open.push(host);
  return { host, here: await serve(smallProject(notesCsv(rows), { endpoint: host.endpoint, more })) };
}

const filled = (here: ServedProject): Record<string, string>[] =>
  parse(readFileSync(path.join(here.folder, "log.filled.csv"), "utf8"), { columns: true }) as Record<string, string>[];

/** How many rows the result has, and how many of them have an answer. */
function answeredRows(here: ServedProject): number[] {
  const rows = parse(readFileSync(path.join(here.folder, "log.filled.csv"), "utf8"), {
    columns: true,
    bom: true,
    delimiter: ";",
  }) as Record<string, string>[];
  return [rows.length, rows.filter(({ topic }) => topic !== "").length];
}

async function refusal(call: Promise<unknown>): Promise<ServerError> {
  const error: unknown = await call.then(
    () => undefined,
    (caught: unknown) => caught,
  );
  expect(error).toBeInstanceOf(ServerError);
  return error as ServerError;
}

describe("sources", () => {
  it("are saved as a form, comments and order kept, and come with the places of what they say", async () => {
    const here = await serve(demoProject());
    const read = await here.api.readPlanSource({ name: "triage" });
    const text = `# The night watch looks here first.\n${read.text.replace("refill: stale", "refill: stale  # as rows change")}`;
    const saved = await here.api.savePlanSource({ name: "triage", text, was: read.mark });
    expect(saved.places["steps.triage.fill.severity"]).toEqual({ line: 10, column: 41 });
    const form = structuredClone(saved.form) as { limits: { spend: number; rows?: number } };
    form.limits.rows = 50;
    const formed = await here.api.savePlanSource({ name: "triage", form: form as never, was: saved.mark });
    expect(formed.text).toBe(text.replace("limits: { spend: 1.00, atOnce: 16 }", "limits: { spend: 1.00, atOnce: 16, rows: 50 }"));
    expect(readFileSync(path.join(here.folder, "plans", "triage.yaml"), "utf8")).toBe(formed.text);
    expect((await here.api.showPlan({ plan: "triage" })).limits).toMatchObject({ rows: 50 });
  });

  it("are never written over what somebody else has changed: both texts come back", async () => {
    const here = await serve(demoProject());
    const read = await here.api.readTemplateSource({ name: "hazard-triage" });
    const file = path.join(here.folder, "templates", "hazard-triage.yaml");
    const theirs = read.text.replace("Judge what could have happened", "Judge what might have happened");
    writeFileSync(file, theirs);
    const yours = read.text.replace("Triage a deck report", "Triage");
    const conflict = await refusal(here.api.saveTemplateSource({ name: "hazard-triage", text: yours, was: read.mark }));
    expect(conflict).toMatchObject({ status: 409, code: "fileChanged", problem: { theirs, yours } });
    expect(conflict.message).not.toContain("Judge");
    expect(readFileSync(file, "utf8")).toBe(theirs);
    const two = [1, 2].map((round) =>
      here.api.checkTemplateSource({ name: "hazard-triage", text: theirs }).then(({ mark }) =>
        here.api.saveTemplateSource({ name: "hazard-triage", text: `${theirs}# ${round}\n`, was: mark }).then(
          () => "saved",
          (error: ServerError) => error.code,
        ),
      ),
    );
    expect((await Promise.all(two)).sort()).toEqual(["fileChanged", "saved"]);
  });

  it("tell their mistakes with their places, and are saved with them only where that is said", async () => {
    const here = await serve(demoProject());
    const read = await here.api.readTemplateSource({ name: "hazard-triage" });
    const text = read.text.replace("kind: score", "kind: scroe");
    const { complaints } = await here.api.checkTemplateSource({ name: "hazard-triage", text });
    expect(complaints).toMatchObject([{ code: "unknownKind", place: { file: "templates/hazard-triage.yaml", line: 19 } }]);
    const refused = await refusal(here.api.saveTemplateSource({ name: "hazard-triage", text, was: read.mark }));
    expect(refused).toMatchObject({ status: 400, code: "filesInvalid" });
    expect(refused.problem["complaints"]).toEqual(complaints);
    await here.api.saveTemplateSource({ name: "hazard-triage", text, was: read.mark, withMistakes: true });
    expect((await refusal(here.api.showTemplate({ template: "hazard-triage" }))).code).toBe("filesInvalid");
    expect((await here.api.readTemplateSource({ name: "hazard-triage" })).complaints).toHaveLength(1);
    const fresh = {
      name: "tone",
      text: "yoroshi: template/1\nname: tone\ninputs: { note: { kind: text } }\ntask: What tone? {{ note }}\nanswer: { tone: { kind: choice, options: [calm, upset] } }\n",
    };
    expect((await here.api.saveTemplateSource({ ...fresh, was: null })).file).toBe("templates/tone.yaml");
    expect((await refusal(here.api.saveTemplateSource({ ...fresh, was: null }))).code).toBe("fileChanged");
    expect((await refusal(here.api.saveTemplateSource({ ...fresh, name: "../out", was: null }))).code).toBe("badOption");
  });
});

describe("fills", () => {
  it("are paused, go on without asking twice, and end with every row", async () => {
    const { host, here } = await world(120, { latencyMs: 40 });
    const { id } = await here.api.fillPlan({ plan: "log", probe: false });
    expect((await refusal(here.api.fillPlan({ plan: "log" }))).code).toBe("planBusy");
    await expect.poll(() => host.counts.requests).toBeGreaterThan(15);
    await here.api.run(id, "pause");
    const paused = await untilOver(here.api, id);
    expect(paused.state).toBe("paused");
    const done = filled(here).filter(({ topic }) => topic !== "").length;
    expect(done).toBe(host.counts.requests);
    expect(done).toBeLessThan(120);
    await here.api.run(id, "go-on");
    expect((await untilOver(here.api, id)).state).toBe("done");
    expect(filled(here).every(({ topic }) => topic !== "")).toBe(true);
    expect(host.counts.requests).toBe(120);
    expect((await refusal(here.api.run(id, "go-on"))).code).toBe("badOption");
    const { runs } = await here.api.listRuns({ kind: "fill" });
    expect(runs.map(({ end }) => end)).toEqual(["done", "interrupted"]);
  });

  it("keep a cap over their pauses, and are stopped for good", async () => {
    const { host, here } = await world(60, { latencyMs: 40 });
    const { id } = await here.api.fillPlan({ plan: "log", rows: 30, probe: false });
    await expect.poll(() => host.counts.requests).toBeGreaterThan(8);
    await here.api.run(id, "pause");
    expect((await untilOver(here.api, id)).state).toBe("paused");
    await here.api.run(id, "go-on");
    const over = await untilOver(here.api, id);
    expect((over.report as { end: string }).end).toBe("rowLimit");
    expect(host.counts.requests).toBe(30);
    const { id: second } = await here.api.fillPlan({ plan: "log", probe: false });
    await expect.poll(() => host.counts.requests).toBeGreaterThan(33);
    await here.api.run(second, "stop");
    expect((await untilOver(here.api, second)).state).toBe("stopped");
    expect(filled(here).filter(({ topic }) => topic !== "").length).toBe(host.counts.requests);
  });

  it("tell why they failed", async () => {
    const { here } = await world(3, { faults: { unauthorised: 1 } });
    const { id } = await here.api.fillPlan({ plan: "log", probe: false });
    const over = await untilOver(here.api, id);
    expect(over).toMatchObject({ state: "failed", error: { code: "modelUnauthorised" } });
    const nobody = await here.api.fillPlan({ plan: "nobody" });
    expect((await untilOver(here.api, nobody.id)).error).toMatchObject({ code: "notFound" });
    expect((await refusal(here.api.fillPlan({ plan: "log", rows: -1 }))).code).toBe("badInput");
  });

  it("go on from another process, while a server looks on", async () => {
    const { here } = await world(8);
    expect((await here.api.readRows({ plan: "log" })).page[0]!.states["topic"]!.state).toBe("blank");
    expect((await run(["fill", "log"], here.folder)).code).toBe(0);
    const { page, columns } = await here.api.readRows({ plan: "log" });
    expect(page.every(({ states }) => !("topic" in states))).toBe(true);
    expect(page[0]!.values[columns.findIndex(({ name }) => name === "topic")]).toBe("fire");
  });
});

describe("cells and review", () => {
  it("are changed by a person whose name is kept, and the file follows by itself", async () => {
    const { here } = await world(4);
    await untilOver(here.api, (await here.api.fillPlan({ plan: "log" })).id);
    const before = filled(here)[0]!["topic"];
    expect(before).toBe("fire");
    await here.api.changeCell({ plan: "log", key: "n0", column: "topic", value: "engine", reason: "it was the dryer's motor" });
    await expect.poll(() => filled(here)[0]!["topic"], { timeout: 10_000 }).toBe("engine");
    const [explained] = (await here.api.explainRow({ plan: "log", key: "n0", column: "topic" })).steps;
    expect(explained!.decisions).toMatchObject([{ how: "edit", by: "Ines (tests)", given: "engine", value: "fire" }]);
    expect((await refusal(here.api.changeCell({ plan: "log", key: "n0", column: "topic", value: "weather" }))).code).toBe("decisionUnfit");
    expect((await refusal(here.api.changeCell({ plan: "log", key: "n9", column: "topic", value: "fire" }))).code).toBe("keyNotFound");
    await here.api.restoreCell({ plan: "log", key: "n0", column: "topic" });
    await expect.poll(() => filled(here)[0]!["topic"], { timeout: 10_000 }).toBe("fire");
    await here.api.askCellAgain({ plan: "log", key: "n1", column: "level", says: "Nobody was near." });
    await untilOver(here.api, (await here.api.fillPlan({ plan: "log" })).id);
    expect((await here.api.readReview({ plan: "log" })).rows.map(({ key }) => key)).toEqual(["n1"]);
  });

  it("are written beside fills that begin meanwhile, which do not fail for it", async () => {
    const { here } = await world(3);
    for (let round = 0; round < 3; round++) {
      await untilOver(here.api, (await here.api.fillPlan({ plan: "log", only: [`n${round}`] })).id);
      await here.api.changeCell({ plan: "log", key: `n${round}`, column: "topic", value: "engine" });
      await new Promise((resolve) => setTimeout(resolve, 1_900 + 50 * round));
      expect((await untilOver(here.api, (await here.api.fillPlan({ plan: "log", only: ["n2"] })).id)).state).toBe("done");
    }
    expect(filled(here).map(({ topic }) => topic)).toEqual(["engine", "engine", "engine"]);
  });

  it("are written at once when the server is stopped", async () => {
    const { here } = await world(2);
    await untilOver(here.api, (await here.api.fillPlan({ plan: "log" })).id);
    await here.api.changeCell({ plan: "log", key: "n0", column: "topic", value: "engine" });
    await here.served.close();
    expect(filled(here)[0]!["topic"]).toBe("engine");
  });

  it("are decided where they are held, taken back, and become samples", async () => {
    const { here } = await world(4, {}, 'review: { hold: { all: "row.level >= 1" }, spotCheck: { rows: 2 } }\n');
    await untilOver(here.api, (await here.api.fillPlan({ plan: "log" })).id);
    const { rows } = await here.api.readReview({ plan: "log" });
    expect(rows).toHaveLength(4);
    const [first] = rows;
    const judged = Object.fromEntries(first!.values.map(({ column, judged: mark }) => [column, mark]));
    const columns = Object.fromEntries(first!.values.map(({ column }) => [column, { how: "accept" as const }]));
    const { act } = await here.api.decide({ plan: "log", step: "sort", key: first!.key, columns, judged });
    const again = await refusal(here.api.decide({ plan: "log", step: "sort", key: first!.key, columns, judged: { topic: "0" } }));
    expect(again.code).toBe("answerMovedOn");
    expect(await here.api.undoDecision({ plan: "log", act })).toMatchObject({ key: first!.key, step: "sort" });
    await here.api.decide({ plan: "log", step: "sort", key: first!.key, columns, judged });
    expect((await here.api.keepAsSamples({ plan: "log" })).added).toBe(1);
    expect((await here.api.showReview({ plan: "log" })).plan).toBe("log");
  });

  it("are checked at random, blind, and two people's labels are brought together", async () => {
    const { here } = await world(6);
    await untilOver(here.api, (await here.api.fillPlan({ plan: "log" })).id);
    expect(await here.api.drawCheck({ plan: "log", rows: 2, seed: 4 })).toMatchObject({ step: "sort", population: 6, rows: 2 });
    const check = (await here.api.readCheck({ plan: "log", rows: 2 }))!;
    const [row] = check.rows;
    const found = await here.api.judgeChecked({
      plan: "log",
      step: "sort",
      key: row!.key,
      found: { topic: "engine" },
      judged: { topic: row!.judged["topic"]! },
    });
    expect(Object.keys(found.columns)).toEqual(["topic"]);
    mkdirSync(path.join(here.folder, "samples"));
    writeFileSync(path.join(here.folder, "samples", "sort.csv"), "note,topic,topic@ana,topic@ben\nsmoke,,fire,fire\noil,,spill,engine\n");
    expect(await here.api.settleSamples({ file: "samples/sort.csv" })).toMatchObject({ people: ["ana", "ben"], taken: 1, disputes: [{}] });
  });
});

describe("tables", () => {
  it("are taken away as they stand, as CSV and as a workbook, and nothing in them is a formula", async () => {
    const { here } = await world(3);
    writeFileSync(path.join(here.folder, "log.csv"), 'id,note\nn0,"=1+1 smoke in the galley"\nn1,oil\nn2,motor\n');
    expect((await refusal(here.api.download("log"))).code).toBe("fileUnreadable");
    await untilOver(here.api, (await here.api.fillPlan({ plan: "log" })).id);
    expect(await (await here.api.download("log")).bytes.text()).toBe(readFileSync(path.join(here.folder, "log.filled.csv"), "utf8"));
    const seen = parse(await (await here.api.download("log", "csv")).bytes.text(), { columns: true, bom: true }) as Record<
      string,
      string
    >[];
    expect(seen[0]!["note"]).toBe("'=1+1 smoke in the galley");
    expect(seen.map(({ topic }) => topic)).toEqual(filled(here).map(({ topic }) => topic));
    const book = path.join(here.folder, "taken.xlsx");
    writeFileSync(book, Buffer.from(await (await here.api.download("log", "xlsx")).bytes.arrayBuffer()));
    if (PYTHON) {
      const cells = python(
        `import openpyxl,json,sys\nws=openpyxl.load_workbook(sys.argv[1]).worksheets[0]\nprint(json.dumps([[c.value for c in r] for r in ws.iter_rows()]))`,
        book,
      );
      expect((JSON.parse(cells) as string[][])[2]!.slice(0, 2)).toEqual(["n1", "oil"]);
    }
    const answers = await here.send("/ledger/answers?as=jsonl");
    expect((await answers.text()).trim().split("\n")).toHaveLength(3);
    expect(answers.headers.get("content-disposition")).toContain("answers.jsonl");
  });

  it("come in, and a plan is made over them", async () => {
    const { here } = await world(3);
    const csv = "ref,note\nA1,smoke in the galley\nA2,oil on the water\n";
    const { file, look } = await here.api.upload("monday.csv", new TextEncoder().encode(csv));
    expect(file).toBe("monday.csv");
    expect(look.columns.map(({ name }) => name)).toEqual(["ref", "note"]);
    expect((await refusal(here.api.upload("monday.csv", new TextEncoder().encode(csv)))).code).toBe("fileExists");
    await here.api.upload("monday.csv", new TextEncoder().encode(`${csv}A3,motor\n`), { replace: true });
    expect(await here.api.newPlan({ plan: "monday", template: "sort", file: "monday.csv" })).toMatchObject({
      key: ["ref"],
      inputs: { note: "note" },
    });
    await untilOver(here.api, (await here.api.fillPlan({ plan: "monday" })).id);
    expect((await here.api.readRows({ plan: "monday" })).rows).toBe(3);
  });

  it("take new rows behind all others, byte for byte, each with a key of its own", async () => {
    const { here } = await world(3);
    const log = path.join(here.folder, "log.csv");
    const text = '\ufeffid;note\r\nN-008;"smoke; in the galley"\r\nN-009;oil on the water\r\n';
    writeFileSync(log, text);
    expect((await here.api.addRows({ plan: "log", rows: [{ note: 'the "motor"; stopped' }, { id: "X", note: "=1+1" }] })).keys).toEqual([
      "N-010",
      "X",
    ]);
    expect(readFileSync(log, "utf8")).toBe(`${text}N-010;"the ""motor""; stopped"\r\nX;'=1+1\r\n`);
    expect((await refusal(here.api.addRows({ plan: "log", rows: [{ id: "X", note: "again" }] }))).code).toBe("rowExists");
    expect((await refusal(here.api.addRows({ plan: "log", rows: [{ id: "Y" }, { id: "Y" }] }))).code).toBe("rowExists");
    expect((await refusal(here.api.addRows({ plan: "log", rows: [{ nte: "x" }] }))).message).toContain("Did you mean `note`");
    const many = await Promise.all(
      Array.from({ length: 20 }, (_, index) => here.api.addRows({ plan: "log", rows: [{ note: `oil ${index}` }] })),
    );
    expect(new Set(many.flatMap(({ keys }) => keys)).size).toBe(20);
    expect((await here.api.readRows({ plan: "log" })).rows).toBe(24);
    await untilOver(here.api, (await here.api.fillPlan({ plan: "log" })).id);
    expect(answeredRows(here)).toEqual([24, 24]);
  });

  it("put a row with its right values among the samples, and keep what stands there", async () => {
    const { here } = await world(3);
    const sample = { template: "sort", inputs: { note: "Drums rolled; diesel on deck" }, labels: { topic: "spill" } };
    expect(await here.api.addSample(sample)).toEqual({ file: "samples/sort.csv", is: "added" });
    expect((await here.api.addSample({ ...sample, labels: { topic: "fire", level: "4" } })).is).toBe("completed");
    expect((await here.api.addSample({ ...sample, labels: { topic: "engine" } })).is).toBe("known");
    const [row, ...others] = parse(readFileSync(path.join(here.folder, "samples", "sort.csv"), "utf8"), { columns: true }) as Record<
      string,
      string
    >[];
    expect(others).toEqual([]);
    expect(row).toMatchObject({
      note: "Drums rolled; diesel on deck",
      topic: "spill",
      level: "4",
      drawnFrom: expect.stringContaining("Ines"),
    });
    expect((await refusal(here.api.addSample({ ...sample, labels: { topic: "weather" } }))).code).toBe("badInput");
  });

  it("of databases are seen as they stand when they are read", async () => {
    const folder = smallProject(notesCsv(1));
    const database = new BetterSqlite(path.join(folder, "deck.sqlite"));
    open.push(database);
    database.exec(`CREATE TABLE log (id TEXT PRIMARY KEY, note TEXT, topic TEXT, level INTEGER, because TEXT);
      INSERT INTO log (id, note) VALUES ('n0', 'smoke in the galley'), ('n1', 'oil on the water')`);
    const project = path.join(folder, "yoroshi.yaml");
    writeFileSync(project, `${readFileSync(project, "utf8")}databases:\n  main: { file: deck.sqlite }\n`);
    const plan = path.join(folder, "plans", "log.yaml");
    writeFileSync(plan, readFileSync(plan, "utf8").replace("{ file: log.csv, key: id }", "{ database: main, table: log, key: id }"));
    const here = await serve(folder);
    expect((await here.api.readRows({ plan: "log" })).rows).toBe(2);
    await untilOver(here.api, (await here.api.fillPlan({ plan: "log" })).id);
    const seen = await here.api.readRows({ plan: "log", sort: [{ column: "id", descending: true }] });
    expect(seen.page.map(({ key, states }) => [key, states])).toEqual([
      ["n1", {}],
      ["n0", {}],
    ]);
    database.exec("INSERT INTO log (id, note) VALUES ('n2', 'the motor stopped')");
    expect((await here.api.readRows({ plan: "log", fresh: true })).rows).toBe(3);
    expect((await refusal(here.api.download("log"))).code).toBe("badOption");
    expect(await (await here.api.download("log", "csv")).bytes.text()).toContain("the motor stopped");
  });

  it("say what is wrong with what is asked of them", async () => {
    const { here } = await world(3);
    expect((await refusal(here.api.readRows({ plan: "log", sort: [{ column: "nobody" }] }))).code).toBe("notFound");
    expect((await refusal(here.api.readRows({ plan: "log", where: "row.level >" }))).code).toBe("badOption");
    expect((await refusal(here.api.readColumn({ plan: "log", column: "nobody" }))).code).toBe("notFound");
  });
});
