import { writeFileSync } from "node:fs";
import { connect } from "node:net";
import path from "node:path";
import { afterAll, afterEach, describe, expect, it } from "vitest";
import type { LiveEventOf } from "../../src/client/index.js";
import { standinServer, type StandinServer } from "../../src/node.js";
import { Live, type LiveEvent } from "../../src/server/live.js";
import { notesCsv, removeTempFolders, run, smallProject } from "../helpers/cli.js";
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
): Promise<{ host: StandinServer; here: ServedProject }> {
  const host = await standinServer(options);
  open.push(host);
  return { host, here: await serve(smallProject(notesCsv(rows), { endpoint: host.endpoint })) };
}

/** Listens until the test ends. */
function listen(here: ServedProject, last?: string): LiveEventOf[] {
  const heard: LiveEventOf[] = [];
  const end = new AbortController();
  open.push({ close: () => end.abort() });
  void here.api.listen((event) => heard.push(event), { signal: end.signal, last });
  return heard;
}

const keysOf = (heard: readonly LiveEventOf[]): Set<string> =>
  new Set(heard.flatMap((event) => (event.type === "cells" ? (event.data.keys ?? []) : [])));

describe("live events", () => {
  it("tell how a fill goes on and which cells it fills, gathered to ten a second", async () => {
    const { here } = await world(60, { latencyMs: 100 });
    const heard = listen(here);
    await expect.poll(() => fetch(`${here.base}/health`).then(({ ok }) => ok)).toBe(true);
    const began = Date.now();
    const { id } = await here.api.fillPlan({ plan: "log" });
    const over = await untilOver(here.api, id);
    expect(over.state).toBe("done");
    await expect.poll(() => heard.some((event) => event.type === "run" && event.data.state === "done")).toBe(true);
    expect(keysOf(heard).size).toBe(60);
    const rounds = new Set(heard.map(({ id: own }) => own)).size;
    expect(rounds).toBeLessThanOrEqual(3 * ((Date.now() - began) / 100 + 2));
    const progress = heard.flatMap((event) => (event.type === "run" ? [event.data.progress] : []));
    expect(progress.some((one) => typeof one === "object" && one !== null && "rows" in one)).toBe(true);
  });

  it("tell of files that changed, and of what another process recorded", async () => {
    const { here } = await world(3);
    const heard = listen(here);
    await expect.poll(async () => (await here.api.listFiles()).templates.length).toBe(1);
    writeFileSync(path.join(here.folder, "plans", "second.yaml"), "yoroshi: plan/1\nname: second\n");
    await expect
      .poll(() => heard.flatMap((event) => (event.type === "files" ? event.data.files : [])), { timeout: 5_000 })
      .toContain("plans/second.yaml");
    expect((await run(["fill", "log"], here.folder)).code).toBe(0);
    await expect.poll(() => heard.some(({ type }) => type === "again"), { timeout: 5_000 }).toBe(true);
    const { page } = await here.api.readRows({ plan: "log" });
    expect(page.every(({ states }) => Object.keys(states).length === 0)).toBe(true);
  });

  it("go on where a listener left off, or say that all is to be read again", async () => {
    const { here } = await world(3);
    const first = listen(here);
    const { id } = await here.api.fillPlan({ plan: "log" });
    await untilOver(here.api, id);
    await expect.poll(() => first.some((event) => event.type === "run" && event.data.state === "done")).toBe(true);
    // The result that the fill wrote is noticed some moments later, and is the last of it.
    await expect
      .poll(() => first.flatMap((event) => (event.type === "files" ? event.data.files : [])), { timeout: 10_000 })
      .toContain("log.filled.csv");
    const [seen] = first;
    const later = listen(here, seen!.id);
    await expect.poll(() => later.map(({ id: own }) => own)).toEqual(first.slice(1).map(({ id: own }) => own));
    const stranger = listen(here, "gone-7");
    await expect.poll(() => stranger.map(({ type }) => type)).toEqual(["again"]);
  });

  it("keep no listener's events waiting without end: a slow one is told less often, of the same cells", async () => {
    const { here } = await world(400);
    const { hostname, port } = new URL(here.base);
    const socket = connect(Number(port), hostname);
    let text = "";
    socket.write(`GET /events HTTP/1.1\r\nHost: ${hostname}:${port}\r\nAuthorization: Bearer ${here.token}\r\n\r\n`);
    await new Promise<void>((resolve) => socket.once("data", () => resolve()));
    socket.pause();
    const { id } = await here.api.fillPlan({ plan: "log" });
    await untilOver(here.api, id);
    socket.on("data", (piece: Buffer) => (text += piece.toString()));
    socket.resume();
    await expect.poll(() => text).toContain('"state":"done"');
    const keys = new Set([...text.matchAll(/"keys":(\[[^\]]*\])/g)].flatMap(([, list]) => JSON.parse(list!) as string[]));
    expect(keys.size).toBe(400);
    socket.destroy();
  });
});

describe("gathering", () => {
  it("holds what a listener has not taken in one event of each kind, and says to read again where it is too much", async () => {
    const live = new Live();
    const got: LiveEvent[][] = [];
    let take: () => void = () => undefined;
    live.listen((events) => {
      got.push([...events]);
      return new Promise((resolve) => (take = resolve));
    });
    live.cells("p", ["a"]);
    await expect.poll(() => got.length).toBe(1);
    for (let round = 0; round < 5; round++) {
      live.cells(
        "p",
        Array.from({ length: 200 }, (_, index) => `k${round} ${index}`),
      );
      live.files(`f${round}`);
      await new Promise((resolve) => setTimeout(resolve, 120));
    }
    expect(got.length).toBe(1);
    take();
    await expect.poll(() => got.length).toBe(2);
    expect(got[1]!.map(({ type, data }) => [type, data])).toEqual([
      ["cells", { plan: "p", keys: null }],
      ["files", { files: ["f0", "f1", "f2", "f3", "f4"] }],
    ]);
    live.close();
  });
});
