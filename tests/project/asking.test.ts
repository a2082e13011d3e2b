import { once } from "node:events";
import { appendFileSync, writeFileSync } from "node:fs";
import { createServer, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import path from "node:path";
import { setTimeout as sleep } from "node:timers/promises";
import { afterAll, afterEach, expect, it } from "vitest";
import { ERRORS, isYoroshiError, monthStart } from "../../src/core/index.js";
import { openProject, standinServer, type Project, type StandinServer } from "../../src/node.js";
import { notesCsv, removeTempFolders, run, smallProject } from "../helpers/cli.js";

afterAll(removeTempFolders);
const open: { close(): unknown }[] = [];
afterEach(async () => {
  for (const one of open.splice(0).reverse()) await one.close();
});
const opened = <T extends { close(): unknown }>(one: T): T => (open.push(one), one);

async function served(options: Parameters<typeof standinServer>[0], more = ""): Promise<{ host: StandinServer; folder: string }> {
  const host = opened(await standinServer(options));
  const folder = smallProject(notesCsv(2), { endpoint: host.endpoint });
  appendFileSync(path.join(folder, "yoroshi.yaml"), more);
  return { host, folder };
}

/** An application that answers each request with a question to a template: the status, and what came of it. */
async function application(
  project: Project,
): Promise<(note: string, signal?: AbortSignal) => Promise<{ status: number; body: Record<string, unknown> }>> {
  const server: Server = createServer(async (request, response) => {
    const gone = new AbortController();
    response.on("close", () => response.writableFinished || gone.abort());
    const note = decodeURIComponent(new URL(request.url!, "http://here").searchParams.get("note")!);
    const [status, body] = await project.ask("sort", { note }, { signal: gone.signal }).then(
      (answer) => [200, answer] as const,
      (error: unknown) =>
        [
          isYoroshiError(error) ? ERRORS[error.code].http : 502,
          { error: isYoroshiError(error) ? error.code : (error as Error).name },
        ] as const,
    );
    response.writeHead(status, { "content-type": "application/json" }).end(JSON.stringify(body));
  });
  server.listen(0, "127.0.0.1");
  await once(server, "listening");
  opened({ close: () => (server.closeAllConnections(), new Promise((resolve) => server.close(resolve))) });
  const { port } = server.address() as AddressInfo;
  return async (note, signal) => {
    const response = await fetch(`http://127.0.0.1:${port}/?note=${encodeURIComponent(note)}`, signal ? { signal } : {});
    return { status: response.status, body: (await response.json()) as Record<string, unknown> };
  };
}

it("200 requests at once are answered; the same question is one request, and a known answer none", async () => {
  const { host, folder } = await served({ latencyMs: 50 });
  const project = opened(await openProject({ cwd: folder }));
  const ask = await application(project);
  const same = await Promise.all(Array.from({ length: 200 }, () => ask("smoke in the galley")));
  expect(new Set(same.map(({ status, body }) => `${status} ${String(body["state"])}`))).toEqual(new Set(["200 answered"]));
  expect(host.counts.requests).toBe(1);
  expect((await ask("smoke in the galley")).status).toBe(200);
  expect(host.counts.requests).toBe(1);
  const others = await Promise.all(Array.from({ length: 200 }, (_, index) => ask(`oil on deck ${index}`)));
  expect(others.every(({ status }) => status === 200)).toBe(true);
  expect(host.counts.requests).toBe(201);
});

it("equal questions at once are one request, in whatever process they are asked", async () => {
  const { host, folder } = await served({ latencyMs: 150 });
  const projects = [opened(await openProject({ cwd: folder })), opened(await openProject({ cwd: folder }))];
  const notes = Array.from({ length: 40 }, (_, index) => `smoke ${index % 20}`);
  const answers = await Promise.all(projects.flatMap((project) => notes.map((note) => project.ask("sort", { note }))));
  expect(new Set(answers.map(({ state }) => state))).toEqual(new Set(["answered"]));
  expect(host.counts.requests).toBe(20);
  // A fill in a process of its own takes part, too.
  writeFileSync(path.join(folder, "log.csv"), `id,note\n${notes.map((note, index) => `n${index},new ${note}`).join("\n")}\n`);
  const filling = run(["fill", "log", "--no-probe", "--json"], folder);
  const asked = await Promise.all(notes.map((note) => projects[0]!.ask("sort", { note: `new ${note}` })));
  expect([asked.length, (await filling).json()]).toEqual([40, expect.objectContaining({ end: "done", filled: 40 })]);
  expect(host.counts.requests).toBe(40);
});

it("the month's cap holds for what two processes ask at once, and the rest is refused in clear words", async () => {
  const { folder } = await served({ latencyMs: 20 }, "limits: { spendPerMonth: 0.003 }\n");
  const projects = [opened(await openProject({ cwd: folder })), opened(await openProject({ cwd: folder }))];
  const asks = await Promise.all(projects.map(application));
  const all = await Promise.all(Array.from({ length: 200 }, (_, index) => asks[index % 2]!(`smoke ${index}`)));
  const spent = await projects[0]!.ledger().charges.since(monthStart(Date.now()));
  expect(spent).toBeLessThanOrEqual(3_000);
  expect(spent).toBeGreaterThan(2_000);
  const refused = all.filter(({ status }) => status !== 200);
  expect(refused.length).toBeGreaterThan(5);
  expect(new Set(refused.map(({ body }) => body["error"]))).toEqual(new Set(["BudgetSpent"]));
  expect(new Set(all.filter(({ status }) => status === 200).map(({ body }) => body["state"]))).toEqual(new Set(["answered"]));
});

it("a caller that hangs up leaves the others theirs, and a request that nobody waits for is dropped", async () => {
  const { host, folder } = await served({ latencyMs: 600 });
  const project = opened(await openProject({ cwd: folder }));
  const ask = await application(project);
  const gone = new AbortController();
  const [left, stayed] = [ask("smoke", gone.signal), ask("smoke")];
  await sleep(200);
  gone.abort();
  await expect(left).rejects.toThrow("abort");
  expect((await stayed).body["state"]).toBe("answered");
  expect(host.counts.requests).toBe(1);
  const alone = new AbortController();
  const lonely = project.ask("sort", { note: "oil" }, { signal: alone.signal });
  setTimeout(() => alone.abort(new Error("no longer wanted")), 50);
  await expect(lonely).rejects.toThrow("no longer wanted");
  await expect(project.ask("sort", { note: "fire" }, { signal: AbortSignal.abort() })).rejects.toThrow();
  expect((await project.ask("sort", { note: "oil" })).state).toBe("answered");
});

it("closing waits for what is in flight and keeps it; what comes later is refused", async () => {
  const { host, folder } = await served({ latencyMs: 300 });
  const project = await openProject({ cwd: folder });
  const asked = project.ask("sort", { note: "smoke" });
  await sleep(50);
  await project[Symbol.asyncDispose]();
  expect((await asked).state).toBe("answered");
  await expect(project.ask("sort", { note: "oil" })).rejects.toMatchObject({ code: "projectClosed" });
  expect(() => project.ledger()).toThrow("The project is closed");
  await project.close();
  const again = opened(await openProject({ cwd: folder }));
  expect((await again.ask("sort", { note: "smoke" })).state).toBe("answered");
  expect(host.counts.requests).toBe(1);
  expect(await again.ledger().charges.of("sort")).toMatchObject([{ requests: 1 }]);
  expect(await again.ledger().runs.find("try", "sort", 5)).toMatchObject([{ end: "done" }]);
});

it("an edited template counts at the next question", async () => {
  const { host, folder } = await served({});
  const project = opened(await openProject({ cwd: folder }));
  await project.ask("sort", { note: "smoke" });
  const { template, file, text } = await project.template("sort");
  writeFileSync(path.join(folder, file), text.replace("What is", "Say what is"));
  expect((await project.template("sort")).template).not.toBe(template);
  await project.ask("sort", { note: "smoke" });
  expect(host.counts.requests).toBe(2);
});
