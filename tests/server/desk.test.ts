import { existsSync, readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import { afterAll, afterEach, describe, expect, it } from "vitest";
import { ServerError } from "../../src/client/index.js";
import { Sessions } from "../../src/server/sessions.js";
import { demoProject, notesCsv, removeTempFolders, smallProject, start, tempFolder } from "../helpers/cli.js";
import { closeServed, serve, untilOver } from "../helpers/served.js";

afterEach(closeServed);
afterAll(removeTempFolders);

const codeOf = async (call: Promise<unknown>): Promise<string> =>
  call.then(
    () => "nothing",
    (error: unknown) => (error instanceof ServerError ? error.code : String(error)),
  );

describe("beginning over HTTP", () => {
  it("makes a project of a folder that has none, and drafts from one's own words", async () => {
    const folder = tempFolder();
    writeFileSync(path.join(folder, "notes.csv"), 'id,note\n1,"Smoke in the galley, and nobody there."\n2,Oil on the aft deck again.\n');
    const { api } = await serve(folder, { orNew: true });
    expect(await api.showProject({})).toMatchObject({ begun: false, name: path.basename(folder) });
    expect((await api.findTables({})).files).toMatchObject([{ file: "notes.csv", plans: [] }]);
    const { look, rows } = await api.lookAtNew({ place: { file: "notes.csv" } });
    expect(look.columns.map(({ name, looksLike }) => [name, looksLike])).toEqual([
      ["id", "number"],
      ["note", "text"],
    ]);
    expect(rows[0]).toEqual({ id: "1", note: "Smoke in the galley, and nobody there." });
    expect((await api.findNewKeys({ place: { file: "notes.csv" } })).candidates[0]!.column).toBe("id");
    expect(existsSync(path.join(folder, "yoroshi.yaml"))).toBe(false);
    const made = await api.beginPlan({
      place: { file: "notes.csv" },
      key: "id",
      from: ["note"],
      wanted: { what: "summary" },
      words: "Which topic is it: fire, spill or other",
    });
    expect(made).toMatchObject({ plan: "notes", isNew: true });
    expect(made.drafted ?? made.draftProblem).toBeTruthy();
    // The project is there at once, without a new server.
    expect(await api.showProject({})).toMatchObject({ begun: true });
    expect((await api.findTables({})).files).toMatchObject([{ file: "notes.csv", plans: ["notes"] }]);
    expect((await api.tryFirst({ plan: "notes", rows: 1 })).rows).toHaveLength(1);
  });

  it("reads nothing outside the project, and nothing twice", async () => {
    const { api, folder } = await serve(demoProject());
    writeFileSync(path.join(folder, "..", "outside.csv"), "id,note\n1,a secret\n");
    expect(await codeOf(api.lookAtNew({ place: { file: "../outside.csv" } }))).toBe("badOption");
    expect(await codeOf(api.beginPlan({ place: { file: "/etc/passwd" }, key: "x", from: ["x"], wanted: { what: "summary" } }))).toBe(
      "badOption",
    );
    expect(await codeOf(api.lookAtNew({ place: { database: "nothing", table: "t" } }))).toBe("notFound");
    expect(await codeOf(api.beginPlan({ place: { file: "deck-log.csv" }, from: ["report"], wanted: { what: "summary" } }))).toBe(
      "badInput",
    );
    const before = readFileSync(path.join(folder, "plans", "triage.yaml"), "utf8");
    const look = { plan: "triage", file: "messages.csv", check: true };
    expect(await api.pointPlan(look)).toMatchObject({
      missing: expect.arrayContaining(["report"]),
      known: expect.arrayContaining(["reportId"]),
    });
    expect(readFileSync(path.join(folder, "plans", "triage.yaml"), "utf8")).toBe(before);
  });
});

describe("what the desk reads", () => {
  it("fills only the rows that a query finds, and tells how far the work is", async () => {
    const { api, folder } = await serve(demoProject());
    const found = { filters: [{ column: "vessel", is: ["MV Tern"] }] };
    const { found: rows } = await api.readRows({ plan: "triage", ...found });
    expect((await api.previewFill({ plan: "triage", found })).rows).toBe(rows);
    await untilOver(api, (await api.fillPlan({ plan: "triage", found })).id);
    const { rowsWith } = await api.readStanding({ plan: "triage" });
    expect(rowsWith.filled).toBeGreaterThan(20);
    expect(rowsWith.filled).toBeLessThanOrEqual(rows);
    await untilOver(api, (await api.trialTemplate({ template: "hazard-triage", resamples: 100, against: ["temperature=0.9"] })).id);
    const way = await api.readWay({ plan: "triage" });
    expect(way).toMatchObject({ templates: [{ template: "hazard-triage", version: 1 }], trial: { samples: 97, version: 1 } });
    expect(way.fill.done).toBeLessThan(way.fill.rows);
    const trials = (await api.listTrials({})).trials;
    expect(trials).toHaveLength(2);
    const read = await api.readTrial({
      template: "hazard-triage",
      run: trials[0]!.run,
      against: [trials[1]!.run, "column=hazard:ruleHazard"],
    });
    expect(read.comparisons.map(({ name }) => name)[1]).toBe("column ruleHazard");
    expect(read.comparisons[0]!.says["hazard"]).toMatch(/95 % interval/);
    const [first] = read.trial.disagreements;
    const sheet = await api.readLabels({ file: "samples/hazard-triage.csv", template: "hazard-triage" });
    expect(sheet.rows[first!.row! - 1]).toMatchObject({ mark: first!.mark, inputs: first!.inputs });
    expect(Object.values(sheet.rows[first!.row! - 1]!.context)).toContain(first!.id);
    expect(await codeOf(api.readTrial({ template: "hazard-triage", run: "no-such-run" }))).toBe("notFound");
    expect(folder).toContain("marrowby");
  });

  it("writes what a form says into a text that is not saved, and shows the prompt of it", async () => {
    const { api, folder } = await serve(smallProject(notesCsv(3)));
    const source = await api.readTemplateSource({ name: "sort" });
    const form = structuredClone(source.form) as Record<string, unknown>;
    form["task"] = "Say it shortly. {{ note }}\n";
    const text = source.text.replace("name: sort", "name: sort # the first");
    const checked = await api.checkTemplateSource({ name: "sort", text, form: form as never });
    expect(checked.text).toContain("name: sort # the first");
    expect(checked.text).toContain("Say it shortly. {{ note }}");
    const prompt = await api.showPrompt({ of: "sort", text: checked.text, inputs: { note: "oil on deck" } });
    expect(prompt).toMatchObject({ state: "ready", inputs: { note: "oil on deck" } });
    expect("prompt" in prompt && prompt.prompt.at(-1)!.content).toMatch(/^Say it shortly\.[\s\S]*oil on deck/);
    expect(await codeOf(api.showPrompt({ of: "sort", text: "yoroshi: template/1\nname: sort\n", inputs: {} }))).toBe("filesInvalid");
    expect(readFileSync(path.join(folder, "templates", "sort.yaml"), "utf8")).toBe(source.text);
    const { kinds } = await api.listKinds({});
    expect(kinds.find(({ kind }) => kind === "score")!.facets).toMatchObject([
      { key: "from", form: "number", needed: true },
      { key: "to", form: "number", needed: true },
      { key: "step", form: "number" },
      { key: "scale", form: "meanings" },
    ]);
    expect(kinds.find(({ kind }) => kind === "choice")!.facets[0]).toMatchObject({ key: "options", form: "meanings", fromReference: true });
    expect(kinds.find(({ kind }) => kind === "rows")).toMatchObject({ inputOnly: true });
  });
});

describe("sessions", () => {
  it("outlive the server as hashes, for twelve idle hours", () => {
    const file = path.join(tempFolder(), "kept", "sessions.json");
    let now = 1_000_000;
    const first = new Sessions(() => now, file);
    const { id } = first.open(first.link("Ana"))!;
    expect(readFileSync(file, "utf8")).not.toContain(id);
    now += 60_000;
    expect(new Sessions(() => now, file).personOf(id)).toBe("Ana");
    expect(new Sessions(() => now, file).personOf(`${id}x`)).toBeUndefined();
    now += 13 * 60 * 60 * 1000;
    expect(new Sessions(() => now, file).personOf(id)).toBeUndefined();
    writeFileSync(file, "[[1, 2], {");
    expect(new Sessions(() => now, file).personOf(id)).toBeUndefined();
  });
});

describe("yoroshi open", () => {
  it("serves the desk of the demo, of an empty folder, and of a second project beside the first", async () => {
    const folder = tempFolder();
    const opened = [
      ["open", "--demo", "--no-browser", "--as", "ada"],
      ["open", "--no-browser", "--project", folder],
    ].map((args) => {
      const { child, done } = start(args, folder, {});
      let text = "";
      child.stdout!.on("data", (piece: Buffer) => (text += piece.toString()));
      return {
        child,
        done,
        link: async () =>
          expect
            .poll(() => /http:\S+/.exec(text)?.[0])
            .toBeTruthy()
            .then(() => /http:\S+/.exec(text)![0]),
      };
    });
    const addresses = [];
    for (const one of opened) {
      const link = new URL(await one.link());
      addresses.push(link.origin);
      const page = await fetch(`${link.origin}/desk/`);
      expect(await page.text()).toContain('<div id="desk">');
      expect(page.headers.get("content-security-policy")).toMatch(/script-src 'self'; style-src 'self' 'nonce-[\w-]{22}'/);
    }
    expect(new Set(addresses).size).toBe(2);
    expect(existsSync(path.join(folder, "marrowby", "yoroshi.yaml"))).toBe(true);
    for (const { child } of opened) child.kill("SIGINT");
    for (const { done } of opened) expect((await done).code).toBe(0);
  });
});
