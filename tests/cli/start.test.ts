import { existsSync, readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import { parse } from "yaml";
import { afterAll, describe, expect, it } from "vitest";
import { standinServer } from "../../src/services/standin-server/index.js";
import { postgresDatabase } from "../helpers/databases.js";
import { removeTempFolders, run, smallProject, startWithInput, tempFolder } from "../helpers/cli.js";
import { python, PYTHON } from "../helpers/other-programs.js";
import { atTerminal, HAS_TERMINAL } from "../helpers/terminal.js";

afterAll(removeTempFolders);

/** A workbook as somebody keeps it: a note on the first sheet, a title, a line of totals, numbers and days as they come. */
function messyWorkbook(folder: string, name = "letters 2026.xlsx"): string {
  python(
    `import openpyxl, sys, datetime
b = openpyxl.Workbook(); b.active.title = "Notes"; b.active["A1"] = "Please ask Marta first."
s = b.create_sheet("Inbox 2026"); s["A1"] = "Allotment office, letters and calls"; s["A2"] = "as of 24 Nov (draft)"
for i, h in enumerate(["Ref. No", "Received", "Plot", "Holder", "What they say", "Rent", "Answered?"]): s.cell(4, 2 + i, h)
texts = ["The water tap by plot 14 is dripping and the path is flooded.", "Could I have a second key for the tool shed?", "Thank you for the new compost bins, they are wonderful.",
  "My neighbour burns plastic, the smoke makes my daughter cough. Please do something at once!", "When is the yearly meeting?", "The gate lock is broken again."]
for r in range(40):
    row = [f"A-{1000 + r}", datetime.date(2026, 1 + r % 11, 1 + r % 28) if r % 3 else "03.04.2026", r % 9, ["M. Oduya", "Tine Brandt", None][r % 3], None if r % 17 == 5 else texts[r % 6], "38,50", "yes"]
    for i, v in enumerate(row): s.cell(5 + r, 2 + i, v)
s.cell(46, 6, "Total: 40 letters")
b.save(sys.argv[1])`,
    path.join(folder, name),
  );
  return name;
}
const yaml = (folder: string, file: string): Record<string, never> =>
  parse(readFileSync(path.join(folder, file), "utf8")) as Record<string, never>;

describe("yoroshi start", () => {
  it.skipIf(!PYTHON)(
    "makes a project around a messy workbook: sheet, header below a title, key in spite of a line of totals; then it fills",
    async () => {
      const folder = tempFolder();
      const file = messyWorkbook(folder);
      const source = readFileSync(path.join(folder, file));
      const made = await run(["start", file, "--yes"], folder);
      expect(made.code, made.err).toBe(0);
      expect(made.out).toMatch(/sheet Inbox 2026, names in row 4/);
      expect(made.out).toMatch(/What they say\s+text, English/);
      expect(made.out.match(/→ topic: /g)).toHaveLength(3);
      expect(made.err).toMatch(/1 row of 41 without a `Ref\. No`/);
      expect(yaml(folder, "plans/letters-2026.yaml")).toMatchObject({
        table: { file, sheet: "Inbox 2026", headerRow: 4, key: "Ref. No" },
        steps: { topic: { inputs: { whatTheySay: "What they say" }, fill: { topic: "topic" }, when: 'row["What they say"] != ""' } },
      });
      expect(readFileSync(path.join(folder, ".gitignore"), "utf8")).toContain(".env");
      expect((await run(["check"], folder)).code).toBe(0);
      expect((await run(["fill", "letters-2026"], folder)).out).toMatch(/37 filled · 3 skipped · 1 failed/);
      expect(readFileSync(path.join(folder, file)).equals(source)).toBe(true);
      // Begun again, nothing is overwritten: another plan of another name.
      const again = await run(["start", file, "--yes", "--fill", "score", "--json"], folder);
      expect(again.json<{ plan: string; isNew: boolean }>()).toMatchObject({ plan: "letters-2026-2", isNew: false });
    },
  );

  it.skipIf(!PYTHON || !HAS_TERMINAL)("asks short questions on a terminal, each answered by keys", async () => {
    const folder = tempFolder();
    messyWorkbook(folder, "letters.xlsx");
    const { code, seen, left } = await atTerminal(["start"], folder, [
      ["Which table?", "\r"],
      ["Which sheet?", "\r"],
      ["What is to be filled?", "\u001b[B\u001b[B\u001b[B\r"],
      ["From which columns?", "\r"],
      ["Which question?", "Is somebody angry?: they complain; they ask or thank\r"],
    ]);
    expect([code, left], seen).toEqual([0, []]);
    expect(seen).toMatch(/→ answer: (yes|no)/);
    const template = readFileSync(path.join(folder, "templates/letters-answer.yaml"), "utf8");
    expect(template).toContain("Is somebody angry?");
    expect(template).toContain("yes: they complain; no: they ask or thank");
  });

  it("takes answers from another program, a line each, and every one as an option", async () => {
    const folder = tempFolder();
    writeFileSync(
      path.join(folder, "t.csv"),
      'id,said,when\n1,The lift is stuck and somebody is inside.,01/06/2026\n2,"Thanks, all well.",02/06/2026\n',
    );
    const { child, done } = startWithInput(["start", "t.csv"], folder);
    child.stdin!.end("2\n2\nHow bad is it?: nothing happened; a nuisance; somebody may be hurt\n");
    const ran = await done;
    expect(ran.code, ran.err).toBe(0);
    expect(yaml(folder, "templates/t-score.yaml")).toMatchObject({
      answer: { score: { from: 1, to: 3, scale: { 3: "somebody may be hurt" } } },
    });
    const facts = await run(
      [
        "start",
        "t.csv",
        "--fill",
        "facts",
        "--from",
        "said",
        "--from",
        "when",
        "--say",
        "who: whom it is about; day: when it was",
        "--key",
        "id",
        "--dates",
        "dayFirst",
        "--name",
        "facts",
        "--yes",
        "--json",
      ],
      folder,
    );
    expect(facts.code, facts.err).toBe(0);
    expect(yaml(folder, "plans/facts.yaml")).toMatchObject({
      table: { dates: "dayFirst" },
      steps: { facts: { fill: { who: "who", day: "day" } } },
    });
    const words = await run(
      [
        "start",
        "t.csv",
        "--fill",
        "words",
        "--say",
        "Decide whether it is a lift or a door, and sum it up in one sentence.",
        "--yes",
        "--json",
      ],
      folder,
    );
    expect(words.code, words.err).toBe(0);
    expect(words.json<{ drafted: string }>().drafted).toBe("t-2-words");
  });

  it("offers to number rows where no column names them, and leaves the person's file alone", async () => {
    const folder = tempFolder();
    const csv = "kind,said\na,hello there my friend\na,hello there my friend\nb,=cmd()\n";
    writeFileSync(path.join(folder, "t.csv"), csv);
    const made = await run(["start", "t.csv", "--yes"], folder);
    expect(made.code, made.err).toBe(0);
    expect(made.err).toMatch(/t\.numbered\.csv is written, with `rowId`/);
    expect(readFileSync(path.join(folder, "t.csv"), "utf8")).toBe(csv);
    expect(readFileSync(path.join(folder, "t.numbered.csv"), "utf8")).toMatch(/^\ufeffrowId,kind,said\n1,a,/);
    expect((await run(["start", "t.csv", "--yes"], folder)).err).toMatch(/this file exists/);
  });

  it.each([
    ["an empty file", "", /the file is empty|no row with the columns' names/],
    ["no row", "id,text\n", /stands no row/],
    ["everything in one column", '"id;text;day"\n"1;hello;2"\n', /everything stands in one column/],
    ["a title above the names", "Report 2026,,\n,,\nid,text,day\n1,hello,2\n", /seem to stand in row 3 \(id, text, day\)/],
  ])("says what is wrong with %s", async (_name, csv, problem) => {
    const folder = tempFolder();
    writeFileSync(path.join(folder, "t.csv"), csv);
    const ran = await run(["start", "t.csv", "--yes"], folder);
    expect(ran.code).toBe(2);
    expect(ran.err).toMatch(problem);
    expect(existsSync(path.join(folder, "yoroshi.yaml"))).toBe(false);
  });

  it("looks at a table of 2,000 columns, and says so where a file or a column is not there", async () => {
    const folder = tempFolder();
    const names = Array.from({ length: 2_000 }, (_, index) => `c${index}`);
    writeFileSync(path.join(folder, "wide.csv"), `${names.join()}\n${names.map((name) => `${name} has some words in it`).join()}\n`);
    const wide = await run(["start", "wide.csv", "--yes", "--json"], folder);
    expect(wide.code, wide.err).toBe(0);
    expect((await run(["start", "none.csv", "--yes"], folder)).code).toBe(2);
    expect((await run(["start", "wide.csv", "--from", "c9999", "--yes"], folder)).err).toMatch(/no column in wide\.csv `c9999`/);
    expect((await run(["start", "--database", "NO_SUCH_URL", "--table", "t", "--yes"], folder)).err).toMatch(/NO_SUCH_URL/);
  });

  it("makes a project around a table of a database, whose address stands in the environment alone", async () => {
    const database = await postgresDatabase();
    const folder = tempFolder();
    try {
      await database.run("CREATE TABLE calls (call_id integer PRIMARY KEY, said text)");
      await database.run(
        "INSERT INTO calls VALUES (1, 'The line parted and hit the deck, two people are hurt.'), (2, 'All quiet on the bridge today, thank you.')",
      );
      const env = { CALLS_URL: (database.place as { url: string }).url };
      const made = await run(["start", "--database", "CALLS_URL", "--table", "calls", "--yes"], folder, env);
      expect(made.code, made.err).toBe(0);
      expect(readFileSync(path.join(folder, "yoroshi.yaml"), "utf8")).toContain("main: { url: { env: CALLS_URL } }");
      expect(yaml(folder, "plans/calls.yaml")).toMatchObject({ table: { database: "main", table: "calls", key: "call_id" } });
      expect((await run(["fill", "calls", "--create-columns"], folder, env)).out).toMatch(/2 filled/);
    } finally {
      await database.close();
    }
  });
});

describe("yoroshi plan", () => {
  const NOTES = 'id,note\nn1,"smoke in the galley, flames"\nn2,oil on the water\n';

  it("points a plan at the next file: known answers are reused, a person's edits stay with the old one and come back with it", async () => {
    const folder = smallProject(NOTES, { more: "# mine\n" });
    await run(["fill", "log"], folder);
    const result = path.join(folder, "log.filled.csv");
    writeFileSync(result, readFileSync(result, "utf8").replace(/fire/, "spill"));
    await run(["fill", "log"], folder);
    writeFileSync(path.join(folder, "monday.csv"), 'ID,Note\nn1,"smoke in the galley, flames"\nn3,the pump is loud\n');
    const pointed = await run(["plan", "log", "--table", "monday.csv"], folder);
    expect(pointed.out).toMatch(/id\s+ID/);
    expect(pointed.out).toMatch(/note\s+Note/);
    expect(readFileSync(path.join(folder, "plans/log.yaml"), "utf8")).toMatch(
      /file: monday\.csv, key: ID[\s\S]*inputs: \{ note: Note \}[\s\S]*# mine\n$/,
    );
    const next = await run(["fill", "log", "--json"], folder);
    expect(next.json<object>()).toMatchObject({ asked: 1, reused: 1, edited: 0 });
    expect(readFileSync(path.join(folder, "monday.filled.csv"), "utf8")).toContain("fire");
    const back = await run(["plan", "log", "--table", "log.csv", "--json"], folder);
    expect(back.json<object>()).toMatchObject({ isBack: true });
    expect((await run(["fill", "log", "--json"], folder)).json<object>()).toMatchObject({ asked: 0, newEdits: 0 });
    expect(readFileSync(result, "utf8")).toMatch(/flames",spill/);
    // Carried: the edit goes over to the row with the same key.
    writeFileSync(path.join(folder, "tuesday.csv"), NOTES);
    await run(["plan", "log", "--table", "tuesday.csv", "--carry"], folder);
    expect((await run(["fill", "log", "--json"], folder)).json<object>()).toMatchObject({ asked: 0, edited: 0 });
    expect(readFileSync(path.join(folder, "tuesday.filled.csv"), "utf8")).toMatch(/flames",spill/);
    // Where the plan was before, what was decided there comes back; nothing is put over it.
    const over = await run(["plan", "log", "--table", path.join(folder, "monday.csv"), "--carry"], path.join(folder, "plans"));
    expect([over.code, over.err]).toEqual([2, expect.stringMatching(/was at monday\.csv before/)]);
    expect((await run(["plan", "log", "--table", "../monday.csv"], path.join(folder, "plans"))).out).toContain("monday.csv from now on");
    expect(readFileSync(path.join(folder, "plans/log.yaml"), "utf8")).toMatch(/file: monday\.csv,/);
  });

  it("says which column it misses, and takes another for it", async () => {
    const folder = smallProject(NOTES);
    writeFileSync(path.join(folder, "other.csv"), "id,remark\nn1,oil\n");
    const plan = readFileSync(path.join(folder, "plans/log.yaml"), "utf8");
    const missing = await run(["plan", "log", "--table", "other.csv"], folder);
    expect([missing.code, missing.err]).toEqual([2, expect.stringMatching(/other\.csv has no column `note`/)]);
    expect(readFileSync(path.join(folder, "plans/log.yaml"), "utf8")).toBe(plan);
    expect((await run(["plan", "log", "--table", "other.csv", "--map", "note=remark"], folder)).code).toBe(0);
    expect((await run(["fill", "log"], folder)).code).toBe(0);
  });

  it("writes a plan, and adds a step, with the mapping guessed from names; the person's own lines stay", async () => {
    const folder = smallProject(NOTES);
    const made = await run(["plan", "fresh", "--template", "sort", "--table", "log.csv"], folder);
    expect(made.code, made.err).toBe(0);
    expect(made.out).toMatch(/rows named by id/);
    expect(yaml(folder, "plans/fresh.yaml")).toMatchObject({
      table: { file: "log.csv", key: "id" },
      steps: { sort: { inputs: { note: "note" } } },
    });
    const before = readFileSync(path.join(folder, "plans/log.yaml"), "utf8");
    const added = await run(["plan", "log", "--add", "sort", "--step", "again"], folder);
    expect(added.code, added.err).toBe(0);
    const after = readFileSync(path.join(folder, "plans/log.yaml"), "utf8");
    for (const line of before.split("\n")) expect(after).toContain(line);
    expect((await run(["check", "log"], folder)).out).toContain("no mistakes");
    expect((await run(["fill", "log", "--json"], folder)).json<{ steps: object }>().steps).toMatchObject({ again: { filled: 2 } });
    expect((await run(["plan", "log"], folder)).err).toMatch(/say what is wanted/);
  });
});

describe("yoroshi model", () => {
  it("finds out by real requests what a host can do, writes it, and never a key; a key comes from .env, a file or a confirmed command", async () => {
    const server = await standinServer({ key: "s3cret" });
    const folder = smallProject("id,note\nn1,smoke\n");
    const home = tempFolder();
    const env = { XDG_CONFIG_HOME: home };
    try {
      const early = await run(
        ["model", "add", "fast", "--endpoint", server.endpoint, "--id", "standin-small", "--key-env", "FAST_KEY"],
        folder,
        env,
      );
      expect(early.out).toMatch(/FAST_KEY is not set, so nothing could be asked yet/);
      writeFileSync(path.join(folder, ".env"), "FAST_KEY=s3cret\n");
      const checked = await run(["model", "check", "fast"], folder, env);
      expect([checked.code, checked.out]).toEqual([0, expect.stringMatching(/✓ JSON Schema\s+✓ log probabilities\s+✓ pictures/)]);
      writeFileSync(path.join(folder, "key.txt"), "s3cret\n");
      const added = await run(
        [
          "model",
          "add",
          "filed",
          "--endpoint",
          `${server.endpoint}/chat/completions`,
          "--id",
          "standin-small",
          "--key-file",
          "key.txt",
          "--json",
        ],
        folder,
        env,
      );
      expect(added.json<object>()).toMatchObject({ abilities: { jsonSchema: true, images: true, usage: true } });
      const command = ["model", "add", "run", "--endpoint", server.endpoint, "--id", "standin-small", "--key-command", "printf s3cret"];
      const refused = await run(command, folder, env);
      expect([refused.code, refused.err]).toEqual([2, expect.stringMatching(/Nobody has said on this machine/)]);
      expect((await run([...command, "--confirm"], folder, env)).code).toBe(0);
      // Another machine, another person: it is asked anew.
      expect((await run(["model", "check", "run"], folder, { XDG_CONFIG_HOME: tempFolder() })).code).toBe(3);
      const text = readFileSync(path.join(folder, "yoroshi.yaml"), "utf8");
      expect(text).toMatch(/filed:\s+endpoint: [^\n]*\/v1\n[\s\S]*can:\s+- jsonSchema\s+- images\s+- logProbabilities/);
      expect(text.match(/s3cret/g)).toHaveLength(1); // in the command alone
      const templates = path.join(folder, "templates/sort.yaml");
      writeFileSync(templates, `${readFileSync(templates, "utf8")}model: { use: run }\n`);
      expect((await run(["fill", "log"], folder, env)).code).toBe(0);
    } finally {
      await server.close();
    }
    expect((await run(["model", "check", "fast"], folder, env)).code).toBe(3);
  });

  it("says what is wrong with a host that is none, and writes nothing", async () => {
    const server = await standinServer();
    const folder = smallProject("id,note\nn1,smoke\n");
    const before = readFileSync(path.join(folder, "yoroshi.yaml"), "utf8");
    const key = { SOME_KEY: "k" };
    const add = (endpoint: string): ReturnType<typeof run> =>
      run(["model", "add", "x", "--endpoint", endpoint, "--id", "m", "--key-env", "SOME_KEY"], folder, key);
    try {
      expect((await add(server.endpoint.replace("/v1", "/nothing"))).err).toMatch(/rejected the request \(HTTP 404\)/);
      expect((await add("ftp://host")).err).toMatch(/begins with http/);
      expect((await add("http://127.0.0.1:9")).err).toMatch(/could not be used: ECONNREFUSED/);
    } finally {
      await server.close();
    }
    expect(readFileSync(path.join(folder, "yoroshi.yaml"), "utf8")).toBe(before);
  });
});
