import { appendFileSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import { setTimeout as sleep } from "node:timers/promises";
import { afterAll, afterEach, describe, expect, it } from "vitest";
import {
  askSealed,
  driftTold,
  fillPlan,
  openProject,
  readDrift,
  runJob,
  seeDrift,
  surveyPlan,
  watchPlans,
  type Project,
  type WatchEvent,
} from "../../src/jobs/index.js";
import { standinServer } from "../../src/services/standin-server/index.js";
import { removeTempFolders, run, smallProject } from "../helpers/cli.js";
import { steeredClock, type SteeredClock } from "../helpers/clock.js";
import { completion, oddHosts } from "../helpers/odd-host.js";

const DAY = 86_400_000;
const START = Date.UTC(2026, 7, 3, 9);
const { host, closeAll } = oddHosts();
const ends: (() => Promise<unknown>)[] = [];
afterEach(async () => {
  for (const end of ends.splice(0).reverse()) await end();
  await closeAll();
});
afterAll(removeTempFolders);

const edit = (folder: string, file: string, change: (text: string) => string): void =>
  writeFileSync(path.join(folder, file), change(readFileSync(path.join(folder, file), "utf8")));

interface Days {
  readonly folder: string;
  readonly clock: SteeredClock;
  readonly project: Project;
  /** A day's rows, filled on it. */
  day(number: number, words: readonly string[]): Promise<void>;
}

async function days(more: string, endpoint?: string): Promise<Days> {
  const folder = smallProject("id,note\n", { more, ...(endpoint === undefined ? {} : { endpoint }) });
  const clock = steeredClock(START);
  const project = await openProject({ cwd: folder, clock });
  ends.push(() => project.close());
  return {
    folder,
    clock,
    project,
    async day(number, words) {
      clock.set(START + number * DAY);
      appendFileSync(
        path.join(folder, "log.csv"),
        words.map((note, index) => `d${number}-${index},"Note ${100 + number}.${100 + index}: ${note}"\n`).join(""),
      );
      await runJob(fillPlan, project, { plan: "log" });
    },
  };
}

const mixed = (fire: number, spill: number): string[] => [
  ...Array.from({ length: fire }, () => "flames and smoke in the galley"),
  ...Array.from({ length: spill }, () => "oil on the water"),
];

describe("a plan's answers, day by day", () => {
  it("are held against the first fourteen days; a day that differs is told, with the value that moved, until somebody has seen it", async () => {
    const one = await days("drift: { falseAlarmDays: 200 }\n");
    for (let number = 0; number < 15; number++) await one.day(number, mixed(12 + (number % 3), 12));
    one.clock.set(START + 15 * DAY);
    const calm = await runJob(readDrift, one.project, { plan: "log" });
    expect(calm).toMatchObject({ reference: { from: "2026-08-03", to: "2026-08-16" }, falseAlarmDays: 200, alarm: null });
    expect(calm.days).toMatchObject([{ day: "2026-08-17", answers: 26, moved: [] }]);
    expect(calm.days[0]!.columns.length).toBeGreaterThan(1);
    await one.day(15, mixed(2, 26));
    // A day is judged once it is over.
    expect((await runJob(readDrift, one.project, { plan: "log" })).alarm).toBeNull();
    one.clock.set(START + 16 * DAY);
    const moved = await runJob(readDrift, one.project, { plan: "log" });
    expect(moved).toMatchObject({
      alarm: "2026-08-18",
      days: [{ day: "2026-08-18", moved: expect.arrayContaining(["topic"]) as string[] }, {}],
    });
    expect(driftTold(moved)).toMatch(/Answers of 2026-08-18 .*`topic` \(spill: 4\d\.\d % before, 92\.9 % now\).* one day in 200/);
    await runJob(seeDrift, one.project, { plan: "log" });
    expect(await runJob(readDrift, one.project, { plan: "log" })).toMatchObject({ alarm: null, seenUntil: "2026-08-18" });
    // The command line tells the same.
    const { out, code } = await run(["drift", "log"], one.folder);
    expect({ code, out }).toMatchObject({ code: 0, out: expect.stringMatching(/2026-08-18 +28 .*topic/) as string });
  }, 60_000);

  it("have no reference as long as there are too few, and take the one that the plan names", async () => {
    const one = await days("");
    await one.day(0, mixed(60, 60));
    await one.day(1, mixed(1, 30));
    one.clock.set(START + 3 * DAY);
    expect(await runJob(readDrift, one.project, { plan: "log" })).toMatchObject({ reference: null, days: [], alarm: null });
    edit(one.folder, "plans/log.yaml", (text) => `${text}drift: { reference: { from: 2026-08-03, to: 2026-08-03 } }\n`);
    expect(await runJob(readDrift, one.project, { plan: "log" })).toMatchObject({ reference: { answers: 120 }, alarm: "2026-08-04" });
    edit(one.folder, "plans/log.yaml", (text) => text.replace("to: 2026-08-03", "to: 2026-08-01"));
    expect((await run(["check", "log"], one.folder)).out).toMatch(/The reference ends before it begins/);
  }, 60_000);

  it("hold a watched plan that says so until somebody has looked", async () => {
    const one = await days("watch: { changes: true }\ndrift: { then: hold, reference: { from: 2026-08-03, to: 2026-08-03 } }\n");
    await one.day(0, mixed(60, 60));
    await one.day(1, mixed(1, 40));
    const events: WatchEvent[] = [];
    const ended = new AbortController();
    one.clock.set(START + 2 * DAY);
    const running = runJob(watchPlans, one.project, {}, { stop: ended.signal, on: (event) => void events.push(event) });
    ends.push(async () => {
      ended.abort();
      await running;
    });
    const until = async (what: string, is: () => boolean): Promise<void> => {
      for (let looks = 0; !is(); looks++) {
        if (looks > 1_500) throw new Error(`not in time: ${what}; ${JSON.stringify(events.slice(-3))}`);
        await sleep(10);
      }
    };
    await until("the alarm", () => events.some((event) => event.type === "notice" && /Answers of 2026-08-04/.test(event.text)));
    appendFileSync(path.join(one.folder, "log.csv"), 'new,"A new note: flames behind the dryer"\n');
    const held = (): boolean => {
      const state = events.findLast((event) => event.type === "state")?.state;
      return state?.state === "resting" && /It holds until `yoroshi drift log --seen`/.test(state.problem ?? "");
    };
    await until("it holds", held);
    expect(readFileSync(path.join(one.folder, "log.filled.csv"), "utf8")).not.toContain("new,");
    await runJob(seeDrift, one.project, { plan: "log" });
    one.clock.advance(20_000);
    await until("it goes on", () => events.some((event) => event.type === "round" && event.round.asked === 1));
    expect(readFileSync(path.join(one.folder, "log.filled.csv"), "utf8")).toContain("new,");
  }, 60_000);
});

describe("sealed samples that are asked again", () => {
  const samples = (folder: string, count: number): void => {
    mkdirSync(path.join(folder, "samples"), { recursive: true });
    const rows = Array.from({ length: count }, (_, index) => `s${index},"Sample ${index}",${index % 2 === 0 ? "fire" : "spill"},sealed`);
    writeFileSync(path.join(folder, "samples/sort.csv"), `id,note,topic,set\n${rows.join("\n")}\n`);
  };
  const numberIn = (body: string): number => Number(/Sample (\d+)/.exec(body)![1]);

  it("tell that a model has become another, are no looks at the seal, and take no answer's place", async () => {
    let isOther = false;
    let asked = 0;
    const { endpoint } = await host((body) => {
      const number = numberIn(body);
      asked++;
      // By itself it wavers over one of forty.
      const wavers = number === 7 && asked % 2 === 0;
      const topic = isOther && number % 4 === 0 ? "engine" : number % 2 === 0 || wavers ? "fire" : "spill";
      return completion({ model: isOther ? "small-2" : "small-1" }, JSON.stringify({ why: "it says so", topic, level: 2 }));
    });
    const one = await days("drift: { sealedDays: 7 }\n", endpoint);
    samples(one.folder, 40);
    const first = await runJob(askSealed, one.project, { plan: "log" });
    expect(first.sealed).toMatchObject([{ template: "sort", samples: 40, verdict: "first", changed: 0 }]);
    expect(asked).toBe(80);
    one.clock.advance(7 * DAY);
    expect((await runJob(askSealed, one.project, { plan: "log" })).sealed).toMatchObject([
      { verdict: "same", lost: expect.any(Number) as number },
    ]);
    isOther = true;
    one.clock.advance(7 * DAY);
    const changed = await runJob(askSealed, one.project, { plan: "log" });
    expect(changed.sealed).toMatchObject([{ verdict: "changed" }]);
    expect(changed.sealed[0]!.changed).toBeGreaterThanOrEqual(10);
    expect(changed.sealed[0]!.lost).toBeGreaterThanOrEqual(10);
    // Nobody has looked at the seal, and a trial's own answers are its own.
    const trial = await run(["trial", "sort", "--sealed", "--json"], one.folder);
    expect(trial.json()).toMatchObject({ sealed: { looks: 1 }, asked: 40 });
    const told = await run(["drift", "log"], one.folder);
    expect(told.code).toBe(1);
    expect(told.out).toMatch(/Sealed samples of sort.*The model is not what it was/);
    expect(told.out).toMatch(/says that it is now small-2; before it said small-1/);
  }, 60_000);

  it("are asked by a watched plan every so many days, and are told where there are none", async () => {
    const server = await standinServer();
    ends.push(() => server.close());
    const one = await days("watch: { changes: true }\ndrift: { sealedDays: 7 }\n", server.endpoint);
    expect(await runJob(askSealed, one.project, { plan: "log" })).toMatchObject({ sealed: [], without: ["sort"] });
    samples(one.folder, 6);
    const ended = new AbortController();
    const running = runJob(watchPlans, one.project, {}, { stop: ended.signal });
    const requests = async (count: number): Promise<void> => {
      for (let looks = 0; server.counts.requests < count && looks < 1_000; looks++) await sleep(10);
      await sleep(100);
      expect(server.counts.requests).toBe(count);
    };
    await requests(12);
    one.clock.advance(DAY);
    await requests(12);
    one.clock.advance(6 * DAY);
    await requests(18);
    ended.abort();
    await running;
  }, 60_000);
});

describe("what a host says of itself", () => {
  it("is kept with each answer; what it never said before is told at once, with the cells since then", async () => {
    const server = await standinServer();
    ends.push(() => server.close());
    const one = await days("", server.endpoint);
    await one.day(0, mixed(3, 3));
    expect(await runJob(surveyPlan, one.project, { plan: "log" })).toMatchObject({ hosts: [] });
    server.says.system = "standin-2";
    one.clock.advance(1_000);
    appendFileSync(path.join(one.folder, "log.csv"), 'a,"Another note: smoke"\nb,"One more note: oil"\n');
    const filled = await runJob(fillPlan, one.project, { plan: "log" });
    const change = { model: "standin-small", was: { system: "standin-1" }, now: { system: "standin-2" } };
    expect(filled.hosts).toMatchObject([change]);
    expect((await runJob(surveyPlan, one.project, { plan: "log" })).hosts).toMatchObject([{ ...change, cells: 2 }]);
    // Back to what was said before is no news.
    server.says.system = "standin-1";
    one.clock.advance(1_000);
    appendFileSync(path.join(one.folder, "log.csv"), 'c,"A third note: flames"\n');
    expect((await runJob(fillPlan, one.project, { plan: "log" })).hosts).toEqual([]);
    expect((await run(["status", "log"], one.folder)).out).toMatch(
      /says that it is now .*standin-2; before it said .*standin-1.*: 3 cells of this plan/,
    );
    const [answer] = await one.project.ledger().answers.find([await fingerprintOf(one.project, "a")]);
    expect(answer!.answer.host).toEqual({ model: "standin-small", system: "standin-2" });
  }, 60_000);
});

async function fingerprintOf(project: Project, key: string): Promise<string> {
  return (await project.ledger().cells.find("log", "sort", [key])).get(key)!.fingerprint!;
}
