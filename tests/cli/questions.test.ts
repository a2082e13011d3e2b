import { existsSync, readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import { setTimeout as sleep } from "node:timers/promises";
import { parse } from "csv-parse/sync";
import { afterAll, afterEach, describe, expect, it } from "vitest";
import { standinServer } from "../../src/services/standin-server/index.js";
import { notesCsv, removeTempFolders, run, smallProject, start } from "../helpers/cli.js";

const ends: (() => Promise<unknown>)[] = [];
afterEach(async () => {
  for (const end of ends.splice(0)) await end();
});
afterAll(removeTempFolders);

const put = (folder: string, file: string, text: string): void => writeFileSync(path.join(folder, file), text);
const rowsOf = (folder: string, file: string): Record<string, string>[] =>
  parse(readFileSync(path.join(folder, file), "utf8"), { columns: true }) as Record<string, string>[];
const answers = (folder: string): Record<string, string> =>
  Object.fromEntries(rowsOf(folder, "asks.filled.csv").map((row) => [row["id"]!, row["answer"]!]));

const PLAN = `yoroshi: plan/1
name: asks
table: { file: asks.csv, key: id }
steps:
  ask:
    inquire: { of: log, words: words }
    fill: { answer: answer, figure: figure, how: counted, found: rows, keys: keys }
`;
const QUESTIONS = `id,words
q1,How many notes are about fire?
q2,Which topic has most notes?
q3,How many notes of Captain Nobody?
q4,
`;

async function asked(questions = QUESTIONS): Promise<{ folder: string; requests: () => number }> {
  const server = await standinServer();
  ends.push(() => server.close());
  const folder = smallProject(notesCsv(24), { endpoint: server.endpoint });
  put(folder, "plans/asks.yaml", PLAN);
  put(folder, "asks.csv", questions);
  expect((await run(["fill", "log"], folder)).code).toBe(0);
  return { folder, requests: () => server.counts.requests };
}

describe("a table of questions", () => {
  it("is answered by code, each answer with how it was counted and the rows behind it", async () => {
    const { folder } = await asked();
    const { err, code } = await run(["fill", "asks"], folder);
    expect({ err, code }).toMatchObject({ code: 0 });
    const fires = rowsOf(folder, "log.filled.csv").filter(({ topic }) => topic === "fire");
    const [first, second, third, fourth] = rowsOf(folder, "asks.filled.csv");
    expect(first).toMatchObject({
      answer: String(fires.length),
      figure: String(fires.length),
      found: String(fires.length),
      keys: fires.map(({ id }) => id).join(", "),
    });
    expect(first!["how"]).toMatch(/rows counted, over \d+ rows of 24 where `topic` is “fire”/);
    expect(second!["answer"]).toMatch(/^\w+: \d+$/);
    // The question that a model was really asked is shown, with the columns that it may name.
    const cell = (await run(["status", "asks", "--cell", "q1"], folder)).out;
    expect(cell).toMatch(/These are the table's columns[\s\S]*- topic \(options\)\. Values: .*fire/);
    expect((await run(["show", "asks"], folder)).out).toMatch(/Step ask +questions to log/);
    // What cannot be counted is blank, and says why.
    expect(third!["answer"]).toBe("");
    expect((await run(["status", "asks", "--empty"], folder)).out).toMatch(/q3[\s\S]*cannot be counted so/);
    expect(fourth!["answer"]).toBe("");
  }, 60_000);

  it("is answered again when the other table has changed, without asking a model what it knows, and only then", async () => {
    const { folder, requests } = await asked("id,words\nq1,How many notes are about fire?\n");
    await run(["fill", "asks"], folder);
    const before = Number(answers(folder)["q1"]);
    const read = requests();
    const again = await run(["fill", "asks", "--json"], folder);
    expect(again.json()).toMatchObject({ asked: 0, written: false });
    put(folder, "log.csv", `${readFileSync(path.join(folder, "log.csv"), "utf8")}new,"A new note: flames in the lounge."\n`);
    await run(["fill", "log"], folder);
    const one = requests();
    expect(one).toBe(read + 1);
    expect((await run(["status", "asks", "--json"], folder)).json()).toMatchObject({ columns: { answer: { stale: 1 } } });
    const third = await run(["fill", "asks", "--json"], folder);
    expect(third.json()).toMatchObject({ asked: 0, spent: 0, written: true });
    expect(answers(folder)["q1"]).toBe(String(before + 1));
    expect(requests()).toBe(one);
    // A person's value stays.
    put(
      folder,
      "asks.filled.csv",
      readFileSync(path.join(folder, "asks.filled.csv"), "utf8").replace(`?,${before + 1},`, "?,about a third,"),
    );
    await run(["fill", "asks"], folder);
    expect(answers(folder)["q1"]).toBe("about a third");
  }, 60_000);

  it("follows the other table by itself where it is watched", async () => {
    const { folder, requests } = await asked("id,words\nq1,How many notes are about fire?\n");
    put(folder, "plans/asks.yaml", `${PLAN}watch: { changes: true }\n`);
    const { child, done } = start(["watch", "asks", "--json"], folder);
    ends.push(async () => {
      child.kill("SIGINT");
      await done;
    });
    const until = async (what: string, is: () => boolean): Promise<void> => {
      for (let looks = 0; !is(); looks++) {
        if (looks > 1_000) throw new Error(`not in twenty seconds: ${what}`);
        await sleep(20);
      }
    };
    const answer = (): number => (existsSync(path.join(folder, "asks.filled.csv")) ? Number(answers(folder)["q1"]) : -1);
    await until("the first answer", () => answer() > 0);
    const before = answer();
    const read = requests();
    put(folder, "log.csv", `${readFileSync(path.join(folder, "log.csv"), "utf8")}new,"A new note: flames in the lounge."\n`);
    await run(["fill", "log"], folder);
    await until("the next answer", () => answer() === before + 1);
    // The new note alone was asked about.
    expect(requests()).toBe(read + 1);
  }, 60_000);

  it("tells what a fill would take, and knows readings that were made for `ask`", async () => {
    const { folder, requests } = await asked("id,words\nq1,How many notes are about fire?\nq2,How many notes are about spill?\n");
    await run(["ask", "log", "How many notes are about fire?"], folder);
    const before = requests();
    expect((await run(["fill", "asks", "--dry-run", "--json"], folder)).json()).toMatchObject({ asked: 1, rows: 2 });
    await run(["fill", "asks"], folder);
    expect(requests()).toBe(before + 1);
  }, 60_000);

  it.each([
    [PLAN.replace("of: log", "of: nowhere.csv"), /asks\.yaml:6:\d+ .*nowhere\.csv/],
    [PLAN.replace("answer: answer", "answer: anser"), /asks\.yaml:7:\d+ .*anser.*answer/],
    [PLAN.replace("words: words", "words: wrods"), /wrods/],
    [PLAN.replace("of: log", "of: asks"), /it would read what it is about to fill/],
  ])(
    "names the mistake in a plan that asks wrongly",
    async (plan, said) => {
      const { folder } = await asked();
      put(folder, "plans/asks.yaml", plan);
      const { code, out, err } = await run(["check", "asks"], folder);
      expect(out + err).toMatch(said);
      expect(code).toBe(2);
    },
    60_000,
  );
});

describe("a question about rows that belong to others", () => {
  it("finds rows of which one related row is so, and counts figures of them like columns", async () => {
    const { folder } = await asked();
    const plan = readFileSync(path.join(folder, "plans/log.yaml"), "utf8");
    put(
      folder,
      "plans/log.yaml",
      plan.replace(
        "steps:",
        "related:\n  thread: { table: { file: messages.csv }, match: { note: id }, columns: { said: text, sender: by } }\n  sums: { table: { file: messages.csv }, match: { note: id }, figures: { minutes: { sum: minutes } } }\nsteps:",
      ),
    );
    const messages = [
      ["n0", "master", "Rope ordered from the yard.", 5],
      ["n0", "mate", "Rope is here.", 2],
      ["n3", "mate", "Looked at it, nothing found.", 7],
      ["n5", "master", "The yard will come on Monday.", 1],
    ] as const;
    put(folder, "messages.csv", `note,by,text,minutes\n${messages.map((row) => row.map((cell) => `"${cell}"`).join(",")).join("\n")}\n`);
    const ask = async (question: string, ...options: string[]): Promise<{ value: unknown; keys: string[]; where: string; back?: object }> =>
      (await run(["ask", "log", question, "--json", ...options], folder)).json();
    const byMaster = await ask("How many notes have a message by the master?");
    expect(byMaster).toMatchObject({ value: 2, keys: ["n0", "n5"], where: 'row.thread.exists(one, one.sender == "master")' });
    // The filter is one that a fill and the desk take.
    const listed = await ask("notes with a message by the mate", "--list");
    expect(listed.keys).toEqual(["n0", "n3"]);
    expect((await run(["fill", "log", "--where", listed.where, "--dry-run", "--json"], folder)).json()).toMatchObject({ rows: 2 });
    expect(await ask("How many notes have minutes of at least 5?")).toMatchObject({ value: 2, where: "double(row.sums.minutes) >= 5.0" });
    expect(await ask("What is the sum of minutes of notes about fire?")).toMatchObject({ where: 'row.topic == "fire"', value: 7 });
  }, 60_000);
});

describe("a question that is kept", () => {
  it("becomes a plan of its own, and the next one its second row", async () => {
    const { folder } = await asked();
    const first = await run(["ask", "log", "How many notes are about fire?", "--keep", "kept"], folder);
    expect(first.err).toMatch(/Kept as 1 in kept\.csv; plans\/kept\.yaml is new/);
    const second = await run(["ask", "log", 'How many notes are about "spill"?', "--keep", "kept", "--json"], folder);
    expect(second.json()).toMatchObject({ kept: { key: "2", isNew: false } });
    expect(await run(["check", "kept"], folder)).toMatchObject({ code: 0 });
    const { asked: requests } = (await run(["fill", "kept", "--json"], folder)).json<{ asked: number }>();
    expect(requests).toBe(0);
    expect(rowsOf(folder, "kept.filled.csv").map(({ answer }) => Number(answer))).toEqual(
      ["fire", "spill"].map((topic) => rowsOf(folder, "log.filled.csv").filter((row) => row["topic"] === topic).length),
    );
  }, 60_000);

  it("is refused where the name is another plan's, or the question cannot be counted", async () => {
    const { folder } = await asked();
    const taken = await run(["ask", "log", "How many notes are about fire?", "--keep", "log"], folder);
    expect(taken).toMatchObject({ code: 2 });
    expect(taken.err).toMatch(/asks no questions of a table/);
    const unclear = await run(["ask", "log", "How many notes of Captain Nobody?", "--keep", "kept"], folder);
    expect(unclear).toMatchObject({ code: 1 });
    expect(existsSync(path.join(folder, "plans/kept.yaml"))).toBe(false);
  }, 60_000);
});
