import { readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import { setTimeout as sleep } from "node:timers/promises";
import { parse } from "csv-parse/sync";
import { afterAll, afterEach, describe, expect, it } from "vitest";
import {
  checkFiles,
  openProject,
  readWatched,
  runJob,
  surveyPlan,
  watchPlans,
  type WatchEvent,
  type WatchRound,
} from "../../src/jobs/index.js";
import { standinServer, type StandinServer } from "../../src/services/standin-server/index.js";
import { notesCsv, removeTempFolders, smallProject } from "../helpers/cli.js";
import { steeredClock, type SteeredClock } from "../helpers/clock.js";

const MINUTE = 60_000;
const HOUR = 60 * MINUTE;
const ends: (() => Promise<unknown>)[] = [];
afterEach(async () => {
  for (const end of ends.splice(0).reverse()) await end();
});
afterAll(removeTempFolders);

interface Watching {
  readonly folder: string;
  readonly clock: SteeredClock;
  readonly rounds: WatchRound[];
  readonly events: WatchEvent[];
  /** Waits until something is so. */
  until(what: string, is: () => boolean): Promise<void>;
  /** The newest state that was told. */
  state(): Extract<WatchEvent, { type: "state" }>["state"] | undefined;
  stop(): Promise<void>;
}

/** Watches the small project from a moment on, in a zone of its own. */
async function watching(
  rows: number,
  watch: string,
  start: number,
  {
    limits = "",
    zone = "Pacific/Auckland",
    folder = projectWith(rows, watch, limits, zone),
    endpoint = undefined as string | undefined,
  } = {},
): Promise<Watching> {
  if (endpoint !== undefined) edit(folder, "yoroshi.yaml", (text) => text.replace('endpoint: "standin"', `endpoint: "${endpoint}"`));
  const clock = steeredClock(start);
  const project = await openProject({ cwd: folder, clock });
  const events: WatchEvent[] = [];
  const rounds: WatchRound[] = [];
  const ended = new AbortController();
  const running = runJob(
    watchPlans,
    project,
    {},
    {
      stop: ended.signal,
      on: (event) => {
        events.push(event);
        if (event.type === "round") rounds.push(event.round);
      },
    },
  );
  let isStopped = false;
  const stop = async (): Promise<void> => {
    if (isStopped) return;
    isStopped = true;
    ended.abort();
    await running;
    await project.close();
  };
  ends.push(stop);
  const state: Watching["state"] = () => events.findLast((event) => event.type === "state")?.state;
  const until: Watching["until"] = async (what, is) => {
    for (let looks = 0; !is(); looks++) {
      if (looks > 1_000) throw new Error(`not in ten seconds: ${what}; told so far: ${JSON.stringify(events.slice(-4))}`);
      await sleep(10);
    }
  };
  return { folder, clock, rounds, events, until, state, stop };
}

function projectWith(rows: number, watch: string, limits: string, zone: string): string {
  const folder = smallProject(notesCsv(rows), { more: `watch: ${watch}\n` });
  edit(folder, "yoroshi.yaml", (text) => `${text}timeZone: ${zone}\n`);
  if (limits !== "") edit(folder, "plans/log.yaml", (text) => text.replace("limits: {", `limits: { ${limits},`));
  return folder;
}

const edit = (folder: string, file: string, change: (text: string) => string): void =>
  writeFileSync(path.join(folder, file), change(readFileSync(path.join(folder, file), "utf8")));
const filledIn = (folder: string): string[] =>
  (parse(readFileSync(path.join(folder, "log.filled.csv"), "utf8"), { columns: true }) as Record<string, string>[])
    .filter((row) => row["level"] !== "")
    .map((row) => row["id"]!);

// Friday the 27th of November 2026, 06:50 in Auckland (UTC+13).
const FRIDAY = Date.UTC(2026, 10, 26, 17, 50);

describe("a schedule", () => {
  const every = '{ every: "0 7 * * 1-5" }';

  it("is kept in the project's time zone, and not on other days", async () => {
    const one = await watching(3, every, FRIDAY);
    await one.until("waiting", () => one.state()?.nextRound === "2026-11-26T18:00:00.000Z");
    expect(one.rounds).toEqual([]);
    one.clock.advance(10 * MINUTE);
    await one.until("the first round", () => one.rounds.length === 1);
    expect(one.rounds[0]).toMatchObject({ because: "schedule", asked: 3, named: null });
    // Monday.
    await one.until("the next", () => one.state()?.nextRound === "2026-11-29T18:00:00.000Z");
  });

  it("is not kept twice by a clock that is put back, nor many times by one that is put on", async () => {
    const one = await watching(3, every, FRIDAY);
    const seen = (): number => one.events.filter((event) => event.type === "state" && event.state.state === "round").length;
    await one.until("waiting", () => one.state()?.nextRound !== null && one.state() !== undefined);
    one.clock.advance(10 * MINUTE);
    await one.until("the first round", () => one.rounds.length === 1 && one.state()?.state === "waiting");
    one.clock.set(FRIDAY - 2 * HOUR);
    await sleep(200);
    expect(seen()).toBe(1);
    one.clock.set(FRIDAY + 7 * 24 * HOUR);
    await one.until("one round", () => seen() === 2 && one.state()?.state === "waiting");
    await sleep(300);
    expect(seen()).toBe(2);
  });

  it("that passed while nobody watched is made up for once, and what nobody changed is not asked again", async () => {
    const one = await watching(3, every, FRIDAY);
    await one.until("waiting", () => one.state()?.nextRound !== null && one.state() !== undefined);
    one.clock.advance(10 * MINUTE);
    await one.until("the first round", () => one.rounds.length === 1);
    await one.stop();
    edit(one.folder, "log.csv", (text) => `${text}late,"A fire in the locker, smoke everywhere."\n`);
    const two = await watching(0, "", FRIDAY + 4 * 24 * HOUR, { folder: one.folder });
    await two.until("the round that was missed", () => two.rounds.length === 1);
    expect(two.rounds[0]).toMatchObject({ because: "schedule", asked: 1 });
  });

  it("that never comes, or cannot be read, is told with its place", async () => {
    for (const [given, told] of [
      ["0 7 31 2 *", /never come/],
      ["0 7 * *", /is no schedule/],
      ["*/10 7-99 * * *", /is no schedule/],
    ] as const) {
      const folder = projectWith(1, `{ every: "${given}" }`, "", "UTC");
      const project = await openProject({ cwd: folder });
      ends.push(() => project.close());
      const report = JSON.stringify(await runJob(checkFiles, project, { names: ["log"] }));
      expect(report).toMatch(told);
      expect(report).toMatch(/plans\/log\.yaml/);
    }
  });
});

describe("limits", () => {
  it("of a day let no more be asked until the next begins where the project is", async () => {
    const one = await watching(7, "{ changes: true }", FRIDAY, { limits: "rowsPerDay: 3" });
    await one.until("the day's rows", () => one.state()?.state === "resting");
    expect(one.rounds.map(({ asked, end }) => [asked, end])).toEqual([[3, "rowLimit"]]);
    one.clock.advance(MINUTE);
    await one.until("the limit", () => /limit of the day/.test(one.state()?.problem ?? ""));
    // Midnight in Auckland.
    expect(one.state()?.nextRound).toBe("2026-11-27T11:00:00.000Z");
    one.clock.set(Date.UTC(2026, 10, 27, 11, 0, 1));
    await one.until("the next day", () => one.rounds.length === 2);
    one.clock.advance(24 * HOUR);
    await one.until("the last", () => one.rounds.length === 3);
    expect(filledIn(one.folder)).toHaveLength(7);
    expect(one.rounds.map(({ asked }) => asked)).toEqual([3, 3, 1]);
  });

  it("of money for a day are kept, also over what a run that broke off had spent", async () => {
    const one = await watching(6, "{ changes: true }", FRIDAY, { limits: "spendPerDay: 0.0000001" });
    await one.until("the cap", () => one.state()?.state === "resting");
    expect(one.rounds.at(-1)?.asked ?? 0).toBe(0);
  });

  it("of a round leave the rest for a minute later", async () => {
    const one = await watching(5, "{ changes: true }", FRIDAY, { limits: "rows: 2" });
    await one.until("the first", () => one.rounds.length === 1 && one.state()?.state === "resting");
    one.clock.advance(MINUTE + 1);
    await one.until("the second", () => one.rounds.length === 2 && one.state()?.state === "resting");
    one.clock.advance(MINUTE + 1);
    await one.until("all", () => one.rounds.length === 3);
    expect(filledIn(one.folder)).toHaveLength(5);
    expect(one.rounds.map(({ asked }) => asked)).toEqual([2, 2, 1]);
  });
});

describe("a host that is down", () => {
  it("is waited for, longer each time, and no row is lost", async () => {
    const server = await standinServer();
    const { endpoint } = server;
    await server.close();
    const one = await watching(3, "{ changes: true }", FRIDAY, { endpoint });
    // A fill waits for its host by itself, some minutes; then the round rests.
    const ticking = setInterval(() => one.clock.advance(20_000), 5);
    await one.until("resting", () => one.state()?.state === "resting").finally(() => clearInterval(ticking));
    const first = Date.parse(one.state()!.nextRound!) - one.clock.now();
    expect(one.state()?.problem).toMatch(/kept failing/);
    const again: StandinServer = await standinServer({ port: Number(new URL(endpoint).port) });
    ends.push(() => again.close());
    one.clock.advance(first + 1);
    await one.until("all", () => one.rounds.some(({ asked, end }) => asked === 3 && end === "done"));
    expect(filledIn(one.folder)).toHaveLength(3);
  });
});

it("how a plan is watched is told: lag, last and next round, and that nobody watches it any more", async () => {
  const one = await watching(3, '{ changes: true, every: "0 7 * * *" }', FRIDAY);
  await one.until("the first round", () => one.rounds.length === 1 && one.state()?.state === "waiting");
  await one.stop();
  const project = await openProject({ cwd: one.folder, clock: steeredClock(FRIDAY + HOUR) });
  ends.push(() => project.close());
  const { plans } = await runJob(readWatched, project, {});
  expect(plans).toMatchObject([
    { plan: "log", every: "0 7 * * *", changes: true, watch: { state: "off", lastRound: { asked: 3, because: "start" } } },
  ]);
  expect((await runJob(surveyPlan, project, { plan: "log" })).watched).toEqual(plans[0]);
});
