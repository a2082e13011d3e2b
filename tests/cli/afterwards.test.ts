import { existsSync, readFileSync, renameSync, rmSync, writeFileSync } from "node:fs";
import path from "node:path";
import { parse } from "csv-parse/sync";
import { afterAll, afterEach, describe, expect, it } from "vitest";
import { demoProject, notesCsv, removeTempFolders, run, smallProject, start } from "../helpers/cli.js";
import { postgresDatabase } from "../helpers/databases.js";
import { receiver, SECRET, type Receiver } from "../helpers/receiver.js";

interface Report {
  readonly written: boolean;
  readonly steps: Readonly<Record<string, { readonly filled: number; readonly asked: number }>>;
  readonly afterwards: {
    readonly rules: readonly { readonly rule: string; readonly set: number; readonly appended: number; readonly messages: number }[];
    readonly postponed: number;
    readonly back: { readonly brought: number; readonly conflicts: readonly unknown[] };
    readonly tables: readonly { readonly table: string; readonly written: boolean; readonly rows: number; readonly problem?: string }[];
    readonly messages: { readonly sent: number; readonly waiting: number; readonly problems: readonly { readonly problem: string }[] };
  };
}

const opened: { close(): Promise<unknown> }[] = [];
const kept = <T extends { close(): Promise<unknown> }>(one: T): T => (opened.push(one), one);
afterEach(async () => {
  for (const one of opened.splice(0)) await one.close();
});
afterAll(removeTempFolders);

const rowsOf = (folder: string, file: string): Record<string, string>[] =>
  parse(readFileSync(path.join(folder, file), "utf8"), { columns: true });
const edit = (folder: string, file: string, change: (text: string) => string): void =>
  writeFileSync(path.join(folder, file), change(readFileSync(path.join(folder, file), "utf8")));

/** The small project with rules; `taken` is whoever takes its messages. */
function ruled(rows: number, rules: string, taken?: Receiver, more = ""): string {
  const folder = smallProject(notesCsv(rows), { more: `afterwards:\n${rules}\n${more}` });
  if (taken) edit(folder, "yoroshi.yaml", (text) => `${text}hosts: { callBack: ["${taken.host}"], secret: { env: HOOK_SECRET } }\n`);
  return folder;
}
const fillIt = async (folder: string, ...options: string[]): Promise<{ code: number | null; report: Report }> => {
  const { code, json, err } = await run(["fill", "log", "--json", ...options], folder, { HOOK_SECRET: SECRET });
  expect(err).not.toMatch(/^ +at /m);
  return { code, report: json() };
};

it("grave reports go to a list, leave it when a person corrects them, and what changed is told", async () => {
  const folder = demoProject();
  expect((await run(["check", "urgent"], folder)).code).toBe(0);
  const dry = await run(["fill", "urgent", "--dry-run"], folder);
  expect(dry.code).toBe(0);
  expect(existsSync(path.join(folder, "urgent.csv"))).toBe(false);
  const first = await run(["fill", "urgent"], folder);
  expect(first.out).toMatch(/append to urgent.csv.*61 rows/);
  const filled = rowsOf(folder, "deck-log.filled.csv");
  const grave = filled.filter((row) => Number(row["gravity"]) >= 4);
  const listed = rowsOf(folder, "urgent.csv");
  expect(listed.map((row) => row["reportId"]).sort()).toEqual(grave.map((row) => row["reportId"]).sort());
  for (const row of filled) expect(row["stage"]).toBe(row["gravity"] === "" ? "" : Number(row["gravity"]) >= 4 ? "urgent" : "logged");
  // A person's note beside a row of the list stays; the row that is corrected goes with its note.
  edit(folder, "urgent.csv", (text) =>
    text
      .split("\n")
      .map((line, index) => (line === "" ? line : `${line},${index === 0 ? "note" : index === 2 ? "seen to" : ""}`))
      .join("\n"),
  );
  const [corrected, kept] = [listed[0]!["reportId"]!, listed[1]!["reportId"]!];
  edit(folder, "deck-log.filled.csv", (text) => text.replace(new RegExp(`^(${corrected},[\\s\\S]*?),(\\d),urgent$`, "m"), "$1,2,urgent"));
  const then = await run(["fill", "urgent", "--json"], folder);
  expect(then.json()).toMatchObject({ asked: 0 });
  const after = rowsOf(folder, "urgent.csv");
  expect(after.map((row) => row["reportId"])).not.toContain(corrected);
  expect(after).toHaveLength(listed.length - 1);
  expect(after.find((row) => row["reportId"] === kept)!["note"]).toBe("seen to");
  expect(rowsOf(folder, "deck-log.filled.csv").find((row) => row["reportId"] === corrected)!["stage"]).toBe("logged");
  const changes = (await run(["status", "urgent", "--changes", "--json"], folder)).json<{ changes: Record<string, unknown>[] }>();
  expect(changes.changes).toEqual([
    expect.objectContaining({ key: corrected, column: "stage", before: "urgent", after: "logged", whyCode: "setByRule" }),
  ]);
  const third = await run(["fill", "urgent"], folder);
  expect(third.out).not.toMatch(/appended|rows? set/);
}, 300_000);

describe("messages", () => {
  const grave = "  - when: row.level >= 3\n    notify: { url: URL, send: [topic] }";

  it("carry the key and the named columns, signed, and wait out a receiver that fails for as long as it does", async () => {
    const taken = kept(await receiver());
    const folder = ruled(12, grave.replace("URL", taken.url), taken);
    taken.answer = 500;
    const first = await fillIt(folder);
    const waiting = first.report.afterwards.messages.waiting;
    expect(first.code).toBe(1);
    expect(waiting).toBeGreaterThan(0);
    expect(first.report.afterwards.messages.problems[0]!.problem).toBe("it answered 500");
    for (const answer of [503, "hang up"] as const) {
      taken.answer = answer;
      expect((await fillIt(folder)).report.afterwards.messages).toMatchObject({ sent: 0, waiting });
    }
    taken.answer = 200;
    const last = await fillIt(folder);
    expect(last).toMatchObject({ code: 0, report: { afterwards: { messages: { sent: waiting, waiting: 0 } } } });
    expect(taken.wrong).toEqual([]);
    const rows = rowsOf(folder, "log.filled.csv").filter((row) => Number(row["level"]) >= 3);
    expect(taken.taken.map(({ subject, data }) => ({ subject, data })).sort((a, b) => (a.subject < b.subject ? -1 : 1))).toEqual(
      rows
        .map((row) => ({ subject: row["id"]!, data: { key: { id: row["id"] }, columns: { topic: row["topic"] } } }))
        .sort((a, b) => (a.subject < b.subject ? -1 : 1)),
    );
    expect(taken.taken[0]).toMatchObject({
      type: "yoroshi.row",
      source: "/plans/log/rules/notify%20127.0.0.1%3A" + taken.host.split(":")[1],
    });
    // The ledger's exports have them: what became of each message, and what the rule made of each row.
    await run(["ledger", "export", "messages.csv", "--messages"], folder);
    const messages = rowsOf(folder, "messages.csv");
    expect(messages.map(({ id }) => id).sort()).toEqual(taken.taken.map(({ id }) => id).sort());
    expect(messages.every(({ state }) => state === "sent")).toBe(true);
    expect(Math.max(...messages.map(({ attempts }) => Number(attempts)))).toBeGreaterThanOrEqual(3);
    await run(["ledger", "export", "rules.jsonl", "--rules"], folder);
    const states = readFileSync(path.join(folder, "rules.jsonl"), "utf8")
      .trim()
      .split("\n")
      .map((line) => JSON.parse(line) as { key: string; rules: object });
    expect(states).toHaveLength(12);
    expect(states.filter((one) => Object.values(one.rules as Record<string, { holds: boolean }>).some(({ holds }) => holds))).toHaveLength(
      rows.length,
    );
  }, 120_000);

  it("are refused to hosts that yoroshi.yaml does not name, and nothing is lost meanwhile", async () => {
    const taken = kept(await receiver());
    const folder = ruled(6, grave.replace("URL", taken.url), taken);
    const before = readFileSync(path.join(folder, "yoroshi.yaml"), "utf8");
    edit(folder, "yoroshi.yaml", (text) => text.replace(taken.host, "other.example"));
    const { code, report } = await fillIt(folder);
    expect(code).toBe(1);
    expect(report.afterwards.messages.problems[0]!.problem).toMatch(/not among those that yoroshi.yaml names/);
    writeFileSync(path.join(folder, "yoroshi.yaml"), before);
    expect((await fillIt(folder)).report.afterwards.messages).toMatchObject({ waiting: 0 });
    expect(taken.taken.length).toBeGreaterThan(0);
  }, 120_000);

  it("reach their receiver once each, none lost, however often the process is killed", async () => {
    const taken = kept(await receiver());
    const folder = ruled(60, `${grave.replace("URL", taken.url)}\n  - set: { seen: "{{ row.topic }}" }`, taken);
    let killed = 0;
    for (let round = 0; round < 8; round++) {
      const { child, done } = start(["fill", "log"], folder, { HOOK_SECRET: SECRET });
      const had = taken.taken.length;
      const until = Date.now() + 4_000;
      // Some while they are sent, some before.
      while (taken.taken.length === had && child.exitCode === null && Date.now() < until) await new Promise((next) => setTimeout(next, 1));
      await new Promise((next) => setTimeout(next, Math.random() * 8));
      child.kill("SIGKILL");
      if ((await done).code === null) killed++;
      // What rows say changes between, so that there is more to tell.
      edit(folder, "log.csv", (text) => text.replace(/^(n\d*5),"Note/gm, `$1,"Again ${round} note`));
    }
    expect(killed).toBeGreaterThan(3);
    expect(await fillIt(folder)).toMatchObject({ code: 0, report: { afterwards: { messages: { waiting: 0 } } } });
    expect(taken.wrong).toEqual([]);
    const once = new Map(taken.taken.map((message) => [message.id, message]));
    const bySubject = new Map<string, unknown[]>();
    for (const { subject } of once.values()) bySubject.set(subject, [...(bySubject.get(subject) ?? []), subject]);
    const grown = rowsOf(folder, "log.filled.csv");
    for (const row of grown.filter((one) => Number(one["level"]) >= 3)) expect(bySubject.has(row["id"]!), row["id"]).toBe(true);
    // A row whose text never changed was told once.
    for (const [subject, messages] of bySubject) if (!subject.endsWith("5")) expect(messages, subject).toHaveLength(1);
    for (const row of grown) expect(row["seen"]).toBe(row["topic"]);
  }, 240_000);
});

describe("other tables", () => {
  it("get what a row says by its key, once they are there; until then that is told and kept", async () => {
    const folder = ruled(
      6,
      "  - set: { last: row.topic, count: { cel: '1 + 1' } }\n    in: { table: { file: rooms.csv, key: room }, match: { room: id } }",
    );
    const gone = await fillIt(folder);
    expect(gone.code).toBe(1);
    expect(gone.report.afterwards.tables[0]).toMatchObject({
      table: "rooms.csv",
      written: false,
      problem: expect.stringMatching(/rooms.csv/),
    });
    writeFileSync(path.join(folder, "rooms.csv"), "room,deck,last\nn1,2,\nn3,4,\nx,9,mine\n");
    const there = await fillIt(folder);
    expect(there.code).toBe(0);
    const topics = new Map(rowsOf(folder, "log.filled.csv").map((row) => [row["id"], row["topic"]]));
    expect(rowsOf(folder, "rooms.filled.csv")).toEqual([
      { room: "n1", deck: "2", last: topics.get("n1"), count: "2" },
      { room: "n3", deck: "4", last: topics.get("n3"), count: "2" },
      { room: "x", deck: "9", last: "mine", count: "" },
    ]);
    expect((await fillIt(folder)).report.afterwards.tables).toEqual([]);
    // The table is gone while nothing is to be written: nobody minds. Then a row changes.
    renameSync(path.join(folder, "rooms.csv"), path.join(folder, "kept.csv"));
    rmSync(path.join(folder, "rooms.filled.csv"));
    edit(folder, "log.csv", (text) => text.replace(/^n1,.*$/m, 'n1,"flames and smoke, a fire"'));
    expect((await fillIt(folder)).code).toBe(1);
    renameSync(path.join(folder, "kept.csv"), path.join(folder, "rooms.csv"));
    expect((await fillIt(folder)).code).toBe(0);
    expect(rowsOf(folder, "rooms.filled.csv")[0]).toMatchObject({ room: "n1", last: "fire" });
  }, 120_000);

  it("in a database take rows that come, change and go", async () => {
    const database = kept(await postgresDatabase());
    const folder = ruled(
      12,
      "  - when: row.level >= 3\n    append: { table: { database: main, table: todo, key: id }, set: { id: row.id, topic: row.topic, level: row.level } }",
    );
    const place = database.place as { url: string };
    edit(folder, "yoroshi.yaml", (text) => `${text}databases: { main: { url: "${place.url}" } }\n`);
    await database.run("CREATE TABLE todo (id text PRIMARY KEY, topic text, level integer, owner text)");
    await database.run("INSERT INTO todo VALUES ('mine', 'a person put it here', 1, 'Kiri')");
    const first = await fillIt(folder);
    expect(first.code).toBe(0);
    const grave = rowsOf(folder, "log.filled.csv").filter((row) => Number(row["level"]) >= 3);
    const todo = (): Promise<Record<string, unknown>[]> => database.run('SELECT id, topic, level, owner FROM todo ORDER BY id COLLATE "C"');
    const wanted = [
      { id: "mine", topic: "a person put it here", level: 1, owner: "Kiri" },
      ...grave.map((row) => ({ id: row["id"], topic: row["topic"], level: Number(row["level"]), owner: null })),
    ];
    expect(await todo()).toEqual(wanted.sort((a, b) => (a.id! < b.id! ? -1 : 1)));
    edit(folder, "log.filled.csv", (text) => text.replace(new RegExp(`^(${grave[0]!["id"]},.*?,[a-z]+),\\d,`, "m"), "$1,1,"));
    expect((await fillIt(folder)).code).toBe(0);
    expect((await todo()).map(({ id }) => id)).not.toContain(grave[0]!["id"]);
  }, 120_000);
});

it("columns of an appended row that may be changed there come back; what was changed in both places is shown, and settled by nobody but people", async () => {
  const folder = ruled(
    8,
    "  - when: row.level >= 3\n    append: { table: { file: list.csv, key: id }, set: { id: row.id, topic: row.topic }, back: [owner] }",
  );
  await fillIt(folder);
  const [first, second] = rowsOf(folder, "list.csv").map((row) => row["id"]!) as [string, string];
  expect(rowsOf(folder, "list.csv")[0]).toEqual({ id: first, topic: expect.any(String) as string, owner: "" });
  const put = (file: string, id: string, owner: string): void => {
    const rows = rowsOf(folder, file);
    const columns = Object.keys(rows[0]!);
    const text = (value: string): string => (/[",\n]/.test(value) ? `"${value.replaceAll('"', '""')}"` : value);
    writeFileSync(
      path.join(folder, file),
      [
        columns.join(","),
        ...rows.map((row) => columns.map((column) => text(row["id"] === id && column === "owner" ? owner : row[column]!)).join(",")),
      ].join("\n") + "\n",
    );
  };
  const owner = (file: string, id: string): string | undefined => rowsOf(folder, file).find((row) => row["id"] === id)?.["owner"];
  put("list.csv", first, "Kiri");
  const came = await fillIt(folder);
  expect(came.report.afterwards.back).toEqual({ brought: 1, conflicts: [] });
  expect([owner("log.filled.csv", first), owner("list.csv", first)]).toEqual(["Kiri", "Kiri"]);
  expect((await fillIt(folder)).report.afterwards.back.brought).toBe(0);
  // The other way: what is changed here goes there; and back again, over the older word.
  put("log.filled.csv", first, "Ines");
  await fillIt(folder);
  expect(owner("list.csv", first)).toBe("Ines");
  put("list.csv", first, "Tom");
  await fillIt(folder);
  expect([owner("log.filled.csv", first), owner("list.csv", first)]).toEqual(["Tom", "Tom"]);
  // Both at once.
  put("list.csv", second, "there");
  put("log.filled.csv", second, "here");
  const { code, report } = await fillIt(folder);
  expect(code).toBe(1);
  expect(report.afterwards.back.conflicts).toEqual([
    expect.objectContaining({ key: second, there: second, table: "list.csv", column: "owner", valueHere: "here", valueThere: "there" }),
  ]);
  expect([owner("log.filled.csv", second), owner("list.csv", second)]).toEqual(["here", "there"]);
  expect((await run(["fill", "log"], folder)).out).toMatch(/`owner` was changed in two places: `here` in .*, `there` in .* of list\.csv/);
  put("list.csv", second, "here");
  expect((await fillIt(folder)).report.afterwards.back).toEqual({ brought: 0, conflicts: [] });
  expect(await fillIt(folder)).toMatchObject({ code: 0 });
}, 120_000);

it("the first rule that holds acts alone, a dry run tells and does nothing, and actions have a limit", async () => {
  const folder = ruled(
    12,
    `  first: true
  rules:
    - { name: fires, when: 'row.topic == "fire"', set: { list: A } }
    - { name: bad, when: row.level >= 2, set: { list: B } }
  otherwise: { set: { list: C } }`,
  );
  edit(folder, "plans/log.yaml", (text) => text.replace("limits: {", "limits: { actions: 5,"));
  const first = await fillIt(folder);
  expect(first.report.afterwards.postponed).toBe(7);
  const dry = (await run(["fill", "log", "--dry-run", "--json"], folder)).json<{ afterwards: { rule: string; set: number }[] }>();
  expect(dry.afterwards.reduce((sum, { set }) => sum + set, 0)).toBe(7);
  const lists = (): string[] => rowsOf(folder, "log.filled.csv").map((row) => row["list"]!);
  expect(lists().filter((list) => list !== "")).toHaveLength(5);
  await fillIt(folder);
  expect((await fillIt(folder)).report.afterwards.postponed).toBe(0);
  for (const row of rowsOf(folder, "log.filled.csv"))
    expect(row["list"]).toBe(row["topic"] === "fire" ? "A" : Number(row["level"]) >= 2 ? "B" : "C");
}, 120_000);

it("plans whose rules would set each other off are told, with the way around", async () => {
  const folder = ruled(3, '  - set: { state: "{{ row.topic }}" }\n    in: { table: { file: rooms.csv, key: room }, match: { room: id } }');
  writeFileSync(path.join(folder, "rooms.csv"), "room,deck,state\nn1,2,\n");
  const back = (column: string): string =>
    `yoroshi: plan/1\nname: rooms\ntable: { file: rooms.csv, key: room }\nsteps: { made: { set: { line: "{{ row.deck }}" } } }\nafterwards:\n  - when: row.state != ""\n    set: { ${column}: "{{ row.state }}" }\n    in: { table: { file: log.csv, key: id }, match: { id: room } }\n`;
  writeFileSync(path.join(folder, "plans/rooms.yaml"), back("remark"));
  expect((await run(["check"], folder)).code).toBe(0);
  writeFileSync(path.join(folder, "plans/rooms.yaml"), back("note"));
  const { code, out } = await run(["check", "log"], folder);
  expect(code).toBe(2);
  expect(out).toMatch(
    /plans\/log\.yaml:\d+:\d+ +The plans would set each other off for ever: `log` changes `state` of rooms\.csv, which `rooms` reads, `rooms` changes `note` of log\.csv, which `log` reads/,
  );
});

it("rules that set each other off are told when the plan is checked", async () => {
  const folder = ruled(3, '  - set: { note: "{{ row.topic }}" }');
  const { code, out } = await run(["check", "log"], folder);
  expect(code).toBe(2);
  expect(out).toMatch(/plans\/log\.yaml:\d+:\d+[\s\S]*start itself again/);
});
