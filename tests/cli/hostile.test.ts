import { execFileSync } from "node:child_process";
import { copyFileSync, existsSync, mkdirSync, readFileSync, statSync, symlinkSync, writeFileSync } from "node:fs";
import path from "node:path";
import { strToU8, zipSync } from "fflate";
import { createHash } from "node:crypto";
import { afterAll, afterEach, describe, expect, it } from "vitest";
import { demoProject, notesCsv, removeTempFolders, run, smallProject, start, tempFolder } from "../helpers/cli.js";
import { completion, oddHosts, type oddHost } from "../helpers/odd-host.js";

afterAll(removeTempFolders);
const { host, closeAll } = oddHosts();
afterEach(closeAll);
const edit = (folder: string, file: string, change: (text: string) => string): void =>
  writeFileSync(path.join(folder, file), change(readFileSync(path.join(folder, file), "utf8")));
const wait = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

describe("a key", () => {
  const KEY = 'sk-secret"\\0815-abc';
  const withKey = (endpoint: string): string => smallProject(notesCsv(3), { endpoint, model: ", key: { env: YOROSHI_TEST_KEY }" });

  it.each<[string, Parameters<typeof oddHost>[0]]>([
    ["a 400", (_, __, ___, response) => ((response.statusCode = 400), { error: { message: `no model for ${KEY}` } })],
    ["an error in a 200", () => ({ error: { message: `bad key ${KEY}` } })],
    ["an answer", () => completion({}, JSON.stringify({ why: `your key is ${KEY}`, topic: "fire", level: 1 }))],
    ["an answer that cannot be used", () => completion({}, `no JSON but ${KEY}`)],
    ["a refusal", () => completion({ choices: [{ finish_reason: "stop", message: { content: "", refusal: `not with ${KEY}` } }] })],
  ])(
    "that a host gives back in %s is nowhere: not on the screen, in the ledger, the log, the result",
    async (_, answer) => {
      const one = await host(answer);
      const folder = withKey(one.endpoint);
      edit(folder, "yoroshi.yaml", (text) => text.replace("key:", "limits: { patienceSeconds: 0 }, key:"));
      const ran = await run(["fill", "log", "--no-probe"], folder, { YOROSHI_TEST_KEY: KEY });
      const tried = await run(["try", "log", "--json"], folder, { YOROSHI_TEST_KEY: KEY });
      const status = await run(["status", "log", "--empty"], folder);
      expect(one.requests).toBeGreaterThan(0);
      const kept = execFileSync("find", [folder, "-type", "f", "-exec", "cat", "{}", "+"]).toString("latin1");
      for (const text of [ran.out, ran.err, tried.out, tried.err, status.out, kept])
        for (const form of ['secret"', 'secret\\"', "0815-abc"]) expect(text).not.toContain(form);
    },
    300_000,
  );

  it("with a line break is refused at once, and not shown", async () => {
    const one = await host(() => completion());
    const folder = withKey(one.endpoint);
    for (const key of ["sk-abc\nX: y", "sk-abc def", "sk-ä"]) {
      const ran = await run(["fill", "log"], folder, { YOROSHI_TEST_KEY: key });
      expect(ran).toMatchObject({
        code: 2,
        err: expect.stringMatching(
          /^error: The key of the model `quick` in the environment variable YOROSHI_TEST_KEY cannot be used: it has a /,
        ),
      });
      expect(ran.err).not.toContain("sk-");
    }
    expect(one.requests).toBe(0);
  });

  it("and all that is known of rows stands in files of their owner", async () => {
    const folder = smallProject(notesCsv(3));
    await run(["fill", "log"], folder);
    const files = execFileSync("find", [path.join(folder, ".yoroshi"), "-type", "f", "-not", "-path", "*/sources/*"])
      .toString()
      .trim()
      .split("\n");
    expect(files.length).toBeGreaterThan(1);
    for (const file of files) expect([file, (statSync(file).mode & 0o777).toString(8)]).toEqual([file, "600"]);
  });
});

describe("what a host sends", () => {
  it("beyond any size that maxTokens can need is not read on", async () => {
    let sent = 0;
    const one = await host((_, __, ___, response) => {
      const piece = Buffer.alloc(64 * 1024, 32);
      const more = (): void => {
        while (sent < 200e6 && !response.destroyed) {
          sent += piece.length;
          if (!response.write(piece)) return void response.once("drain", more);
        }
        response.end();
      };
      response.once("close", () => undefined);
      more();
    });
    const folder = smallProject(notesCsv(1), { endpoint: one.endpoint, model: ", limits: { patienceSeconds: 0 }" });
    expect((await run(["try", "log", "--json"], folder)).json()).toMatchObject({
      state: "failed",
      reason: "the reply is larger than any that the template's maxTokens can need",
    });
    expect(sent).toBeLessThan(60e6);
  }, 300_000);

  it("that is not UTF-8 is told", async () => {
    const one = await host(() =>
      Buffer.concat([Buffer.from('{"choices":[{"message":{"content":"caf'), Buffer.from([0xe9]), Buffer.from('"}}]}')]),
    );
    const folder = smallProject(notesCsv(1), { endpoint: one.endpoint, model: ", limits: { patienceSeconds: 0 }" });
    expect((await run(["try", "log", "--json"], folder)).json()).toMatchObject({ state: "failed", reason: "the reply is not valid UTF-8" });
  }, 300_000);

  it.each([
    [null],
    ["text"],
    [[]],
    [{ content: "x" }],
    [{ content: [null, 5, "x", { token: 1 }, { token: "a", logprob: "b" }, { token: "a", logprob: 1e308 }] }],
    [{ content: { a: 1 } }],
  ])("as log probabilities, %j, never ends a run", async (logprobs) => {
    const one = await host(() =>
      completion({
        choices: [{ finish_reason: "stop", logprobs, message: { content: JSON.stringify({ why: "smoke", topic: "fire", level: 2 }) } }],
      }),
    );
    const folder = smallProject(notesCsv(4), { endpoint: one.endpoint });
    edit(folder, "templates/sort.yaml", (text) => `${text}doubt: { by: logProbabilities }\n`);
    expect((await run(["fill", "log", "--json", "--no-probe"], folder)).json()).toMatchObject({ filled: 4, end: "done" });
  });

  it("never: a probe that times out ends the preflight, and names the setting", async () => {
    const one = await host(() => undefined);
    const folder = smallProject(notesCsv(3), { endpoint: one.endpoint, model: ", timeoutSeconds: 1" });
    const ran = await run(["fill", "log"], folder);
    expect(ran.code).toBe(3);
    expect(ran.err).toMatch(/could not be used: .*no whole reply within 1 s \(`timeoutSeconds`\)|did not answer a short question/);
    expect(one.requests).toBe(1);
  });
});

describe("control characters", () => {
  const NASTY = "\u001b]0;owned\u0007\u001b[2J\u001b[8mhidden\u009b31m\u202etxt\rover";

  it("of cells, replies, host errors and file names are shown, and never sent to the terminal", async () => {
    const one = await host((_, number, __, response) =>
      number % 3 === 0
        ? ((response.statusCode = 400), { error: { message: `bad ${NASTY}` } })
        : completion({}, JSON.stringify({ why: `x${NASTY}`, topic: "fire", level: 1 })),
    );
    const folder = smallProject(`id,note\n"a${NASTY.replaceAll("\r", "")}","smoke ${NASTY}"\nb,oil\nc,pump\n`, {
      endpoint: one.endpoint,
      atOnce: 1,
    });
    const outputs: string[] = [];
    for (const args of [
      ["try", "log"],
      ["fill", "log", "--no-probe"],
      ["status", "log", "--empty"],
      ["status", "log", "--cell", `a${NASTY.replaceAll("\r", "")}`],
      ["show", `no\u001b[2Jname`],
      ["try", "log", "--json"],
      ["fill", "log", "--only", "\u001b[2Jz"],
    ]) {
      const ran = await run(args, folder, { FORCE_COLOR: "1", NO_COLOR: "" });
      outputs.push(ran.out, ran.err);
    }
    const control =
      // eslint-disable-next-line no-control-regex
      /[\u0000-\u0008\u000b-\u001a\u001c-\u001f\u007f-\u009f\u202a-\u202e\u2066-\u2069]|\u001b(?!\[(?:0|1|2|22|31|32|33|39)m)/;
    for (const text of outputs) expect(control.exec(text)?.[0]).toBeUndefined();
    expect(outputs.join("")).toContain("␛]0;owned␇␛[2J");
  });

  it("of our own colours are shown, too, where a row stands in a prompt, a reply or a value", async () => {
    const folder = smallProject('id,note\na,"smoke \u001b[32mall is well\u001b[0m"\n');
    for (const args of [
      ["try", "log"],
      ["fill", "log"],
      ["status", "log", "--cell", "a"],
    ]) {
      const { out } = await run(args, folder);
      expect(out).not.toContain("\u001b");
      if (args[0] !== "fill") expect(out).toContain("␛[32mall is well␛[0m");
    }
  });
});

describe("links and bundles", () => {
  it("lead nowhere outside of the project, unless it allows the folder", async () => {
    const outside = tempFolder();
    writeFileSync(path.join(outside, "secret.csv"), notesCsv(2));
    mkdirSync(path.join(outside, "data"));
    writeFileSync(path.join(outside, "data", "rows.csv"), notesCsv(2));
    const folder = smallProject(notesCsv(2));
    symlinkSync(path.join(outside, "secret.csv"), path.join(folder, "linked.csv"));
    symlinkSync(path.join(outside, "data"), path.join(folder, "data"));
    symlinkSync(path.join(outside, "nothing-yet.csv"), path.join(folder, "log.filled.csv"));
    const plan = (file: string): void => edit(folder, "plans/log.yaml", (text) => text.replace(/file: [^,]+,/, `file: ${file},`));
    expect(await run(["fill", "log"], folder)).toMatchObject({
      code: 2,
      err: expect.stringContaining("log.filled.csv: a symbolic link leads out of the project's folder."),
    });
    expect(existsSync(path.join(outside, "nothing-yet.csv"))).toBe(false);
    for (const file of ["linked.csv", "data/rows.csv"]) {
      plan(file);
      expect(await run(["fill", "log"], folder)).toMatchObject({
        code: 2,
        err: expect.stringContaining(
          `${file}: a symbolic link leads out of the project's folder. Name the folder that it leads to in yoroshi.yaml, if it may be used: \`folders: [../scans]\`.`,
        ),
      });
    }
    edit(folder, "yoroshi.yaml", (text) => `${text}folders: ["${outside}/data"]\n`);
    expect((await run(["fill", "log", "--json"], folder)).json()).toMatchObject({ filled: 2 });
    writeFileSync(path.join(outside, "data", "others.csv"), notesCsv(2));
    plan(path.relative(folder, path.join(outside, "data", "others.csv")));
    expect((await run(["fill", "log", "--json"], folder)).json()).toMatchObject({ filled: 2 });
  });

  const bundle = (files: Record<string, string>, lie: (zip: Buffer) => Buffer = (zip) => zip): string => {
    const listed = Object.entries(files).map(([file, text]) => ({
      path: file,
      bytes: strToU8(text).length,
      sha256: createHash("sha256").update(text).digest("hex"),
    }));
    const zip = Buffer.from(
      zipSync(
        Object.fromEntries([
          ["manifest.json", strToU8(JSON.stringify({ yoroshi: "bundle/1", files: listed }))],
          ...Object.entries(files).map(([file, text]) => [file, strToU8(text)] as const),
        ]),
      ),
    );
    const file = path.join(tempFolder(), "b.zip");
    writeFileSync(file, lie(zip));
    return file;
  };
  const TEMPLATE =
    "yoroshi: template/1\nname: x\ninputs: { a: { kind: text } }\nbackground: [notes/terms.md]\ntask: '{{ a }}'\nanswer: { b: { kind: text } }\n";

  it("write only what a template needs, into folders of the project", async () => {
    const folder = demoProject();
    for (const stray of [
      "package.json",
      "plans/../x.yaml",
      ".git/hooks/pre-commit",
      "scripts/run.sh",
      "yoroshi.yaml",
      "node_modules/a/index.md",
      "notes/other.md",
    ]) {
      expect(await run(["unpack", bundle({ "templates/x.yaml": TEMPLATE, "notes/terms.md": "t", [stray]: "x" })], folder)).toMatchObject({
        code: 2,
        err: expect.stringContaining("it wants to write"),
      });
      expect(existsSync(path.join(folder, "templates/x.yaml"))).toBe(false);
    }
    expect(
      await run(["unpack", bundle({ "templates/x.yaml": TEMPLATE, "notes/terms.md": "t", "samples/x.csv": "a,b\n1,2\n" })], folder),
    ).toMatchObject({ code: 0 });
    const outside = tempFolder();
    symlinkSync(outside, path.join(folder, "away"));
    expect(
      await run(
        ["unpack", bundle({ "templates/y.yaml": TEMPLATE.replace("name: x", "name: y").replace("notes/", "away/"), "away/terms.md": "t" })],
        folder,
      ),
    ).toMatchObject({ code: 2, err: expect.stringContaining("symbolic link") });
    expect(existsSync(path.join(outside, "terms.md"))).toBe(false);
  });

  it("whose ZIP lies about its sizes are stopped by counting", async () => {
    const folder = demoProject();
    const file = path.join(tempFolder(), "bomb.zip");
    // 300 MB of nothing, said to be ten bytes, in the local header and in the directory.
    const zip = Buffer.from(zipSync({ "manifest.json": strToU8("{}"), "templates/x.yaml": [new Uint8Array(300e6), { level: 9 }] }));
    for (let at = zip.indexOf("templates/x.yaml"); at >= 0; at = zip.indexOf("templates/x.yaml", at + 1)) {
      const isLocal = zip.readUInt32LE(at - 30) === 0x04034b50;
      zip.writeUInt32LE(10, isLocal ? at - 30 + 22 : at - 46 + 24);
    }
    writeFileSync(file, zip);
    const ran = await run(["unpack", file], folder);
    expect(ran).toMatchObject({ code: 2, err: expect.stringContaining("it is larger than 2000 files or 200 MB") });
  }, 300_000);
});

it("SIGHUP ends a fill as SIGTERM does: what is in flight is finished and written", async () => {
  let asked = 0;
  const one = await host((_, __, ___, response) => {
    asked++;
    setTimeout(() => response.end(JSON.stringify(completion())), 100);
    return undefined;
  });
  const folder = smallProject(notesCsv(80), { endpoint: one.endpoint, atOnce: 4 });
  const { child, done } = start(["fill", "log", "--json", "--no-probe"], folder);
  while (asked < 8) await wait(5);
  child.kill("SIGHUP");
  const ran = await done;
  expect(ran.code).toBe(130);
  expect(ran.json()).toMatchObject({ end: "interrupted", written: true });
});

it("a pattern that would take for ever elsewhere freezes nothing", async () => {
  const folder = smallProject(`id,note\na,${"a".repeat(1_500)}!\nb,oil\n`);
  edit(folder, "plans/log.yaml", (text) =>
    text.replace("    template: sort", '    when: row.note.matches("^(a+)+$") || row.id != ""\n    template: sort'),
  );
  expect((await run(["fill", "log", "--json"], folder)).json()).toMatchObject({ rows: 2, filled: 2 });
  edit(folder, "plans/log.yaml", (text) => text.replace("^(a+)+$", "(a)\\\\1"));
  expect(await run(["check"], folder)).toMatchObject({ code: 2, out: expect.stringContaining("back-reference") });
}, 300_000);

it("files that spreadsheets open run nothing: exports, drawn samples, rows made of rows", async () => {
  const folder = smallProject('id,note,owner\n=1+1,"=HYPERLINK(""http://x"")",@SUM(A1)\nb,-5,+3\n');
  await run(["fill", "log"], folder);
  const out = tempFolder();
  for (const args of [
    ["ledger", "export", path.join(out, "answers.csv")],
    ["ledger", "export", path.join(out, "cells.csv"), "--cells"],
    ["samples", "draw", "log", "--rows", "2"],
  ])
    expect(await run(args, folder)).toMatchObject({ code: 0 });
  writeFileSync(
    path.join(folder, "plans/by-owner.yaml"),
    "yoroshi: plan/1\nname: by-owner\ntable:\n  file: by-owner.csv\n  groups: { of: log, by: owner, figures: { rows: { count: all }, notes: { list: note } } }\n",
  );
  expect(await run(["fill", "by-owner"], folder)).toMatchObject({ code: 0 });
  copyFileSync(path.join(folder, "samples/sort.csv"), path.join(out, "samples.csv"));
  copyFileSync(path.join(folder, "by-owner.csv"), path.join(out, "derived.csv"));
  for (const name of ["answers", "cells", "samples", "derived"]) {
    const text = readFileSync(path.join(out, `${name}.csv`), "utf8");
    expect([name, /(?:^|,|\n)"?[=@]/.exec(text)?.[0]]).toEqual([name, undefined]);
  }
  // A number stays one, and a sample is still the row that it was.
  expect(readFileSync(path.join(out, "samples.csv"), "utf8")).toMatch(/,-5,/);
  edit(folder, "samples/sort.csv", (text) => text.replace(/^('=1\+1,.*?),,/m, "$1,fire,"));
  expect((await run(["trial", "sort", "--json"], folder)).json()).toMatchObject({ samples: 1 });
  expect((await run(["fill", "by-owner", "--json"], folder)).json()).toMatchObject({ newEdits: 0 });
});
