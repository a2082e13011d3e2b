import { appendFileSync, readdirSync, readFileSync } from "node:fs";
import { createServer, type IncomingHttpHeaders } from "node:http";
import type { AddressInfo } from "node:net";
import path from "node:path";
import { Webhook } from "standardwebhooks";
import { afterAll, afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { standinServer, type StandinServer } from "../../src/node.js";
import { notesCsv, removeTempFolders, smallProject } from "../helpers/cli.js";
import { closeServed, serve, type ServedProject } from "../helpers/served.js";

const SECRET = Buffer.from("thirty two bytes of test secret!").toString("base64");

afterAll(removeTempFolders);
const open: { close(): unknown }[] = [];
beforeEach(() => vi.stubEnv("HOOK_SECRET", SECRET));
afterEach(async () => {
  await closeServed();
  for (const one of open.splice(0)) await one.close();
  vi.unstubAllEnvs();
});

async function world(options: Parameters<typeof standinServer>[0] = {}, more = ""): Promise<{ host: StandinServer; here: ServedProject }> {
  const host = await standinServer(options);
  open.push(host);
  const folder = smallProject(notesCsv(4), { endpoint: host.endpoint });
  appendFileSync(path.join(folder, "yoroshi.yaml"), more);
  return { host, here: await serve(folder) };
}

interface Hook {
  readonly address: string;
  readonly host: string;
  readonly got: { headers: IncomingHttpHeaders; body: string }[];
}

async function hook(answers: readonly number[]): Promise<Hook> {
  const got: Hook["got"] = [];
  const server = createServer((request, response) => {
    let body = "";
    request.on("data", (piece: Buffer) => (body += piece.toString()));
    request.on("end", () => {
      got.push({ headers: request.headers, body });
      response.writeHead(answers[got.length - 1] ?? 204).end();
    });
  });
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  open.push(server);
  const host = `127.0.0.1:${(server.address() as AddressInfo).port}`;
  return { host, address: `http://${host}/hook`, got };
}

const rows = (count: number, word = "smoke"): { note: string }[] =>
  Array.from({ length: count }, (_, index) => ({ note: `${word} ${index} in the galley` }));

describe("answers at once", () => {
  it("come for one row or many, each with its state; what is known is not asked again", async () => {
    const { host, here } = await world();
    const one = (await (await here.send("/templates/sort/answers", { json: { inputs: { note: "smoke in the galley" } } })).json()) as {
      answers: object[];
    };
    expect(one.answers).toMatchObject([{ state: "answered", known: false, parts: { topic: "fire" }, cells: { topic: "fire" } }]);
    const { answers, spent } = await here.api.answer("sort", [{ note: "smoke in the galley" }, { note: "" }, { note: "oil on the water" }]);
    expect(answers.map(({ state, known }) => `${state} ${known}`)).toEqual(["answered true", "declined false", "answered false"]);
    expect(answers[1]!.reason).toContain("note");
    expect(spent).toBeGreaterThan(0);
    expect(host.counts.requests).toBe(2);
    await here.api.answer("sort", [{ note: "smoke in the galley" }], { fresh: true });
    expect(host.counts.requests).toBe(3);
  });

  it("say what is wrong with a request", async () => {
    const { here } = await world();
    const code = async (json: unknown, template = "sort"): Promise<string> =>
      ((await (await here.send(`/templates/${template}/answers`, { json })).json()) as { code: string }).code;
    expect(await code({})).toBe("badInput");
    expect(await code({ inputs: { note: "x" }, rows: [{ note: "x" }] })).toBe("badInput");
    expect(await code({ inputs: { nte: "x" } })).toBe("badInput");
    expect(await code({ rows: rows(1_001) })).toBe("badInput");
    expect(await code({ inputs: { note: "x" } }, "srt")).toBe("notFound");
  });

  it("are done once for each Idempotency-Key, also when they come together", async () => {
    const { host, here } = await world({ latencyMs: 50 });
    const send = (note: string, key: string): Promise<Response> =>
      here.send("/templates/sort/answers", { json: { inputs: { note }, fresh: true }, headers: { "idempotency-key": key } });
    const [first, second] = await Promise.all([send("smoke", "a1"), send("smoke", "a1")]);
    const third = await send("smoke", "a1");
    expect(await second!.text()).toBe(await first!.clone().text());
    expect(await third.text()).toBe(await first!.text());
    expect(host.counts.requests).toBe(1);
    expect((await send("oil", "a1")).status).toBe(422);
    expect((await send("smoke", "a2")).status).toBe(200);
    expect(host.counts.requests).toBe(2);
  });

  it("stop at the month's cap, and at a token's cap for the day; known ones are given all the same", async () => {
    const { host, here } = await world({}, "limits: { spendPerMonth: 0.0000001 }\n");
    const refused = await here.send("/templates/sort/answers", { json: { inputs: { note: "smoke" } } });
    expect(refused.status).toBe(402);
    expect(((await refused.json()) as { code: string }).code).toBe("capReached");
    expect(host.counts.requests).toBe(0);
    const other = await world();
    const token = await other.here.tokenWith({ right: "answer", perDay: 2 });
    const ask = (notes: readonly string[]): Promise<Response> =>
      other.here.send("/templates/sort/answers", {
        json: { rows: notes.map((note) => ({ note })) },
        headers: { authorization: `Bearer ${token}` },
      });
    const mixed = (await (await ask(["smoke a", "smoke b", "smoke c"])).json()) as { answers: { state: string; reasonCode?: string }[] };
    expect(mixed.answers.map(({ state, reasonCode }) => reasonCode ?? state).sort()).toEqual(["answered", "answered", "dayCapReached"]);
    expect((await ask(["smoke d"])).status).toBe(429);
    const known = ["smoke a", "smoke b", "smoke c"].filter((_, index) => mixed.answers[index]!.state === "answered");
    expect((await ask(known)).status).toBe(200);
    expect(other.host.counts.requests).toBe(2);
  });

  it("drop a request whose client hangs up, and keep what was paid", async () => {
    const { host, here } = await world({ latencyMs: 400 });
    const gone = new AbortController();
    const asked = here.send("/templates/sort/answers", { json: { inputs: { note: "smoke" } }, signal: gone.signal });
    await expect.poll(() => host.counts.requests).toBe(1);
    gone.abort();
    await expect(asked).rejects.toThrow();
    // Somebody else asks the same: it is a request of its own, and its answer is kept.
    expect((await here.api.answer("sort", [{ note: "smoke" }])).answers[0]!.state).toBe("answered");
    expect((await here.api.answer("sort", [{ note: "smoke" }])).answers[0]!.known).toBe(true);
    const { days } = await here.api.readSpend({});
    expect(days.reduce((sum, { spent, unsure }) => sum + spent + unsure, 0)).toBeGreaterThan(0);
  });

  it("tell a host that fails as such", async () => {
    const { here } = await world({ faults: { unauthorised: 1 } });
    const refused = await here.send("/templates/sort/answers", { json: { inputs: { note: "smoke" } } });
    expect(refused.status).toBe(502);
    expect(((await refused.json()) as { code: string }).code).toBe("modelUnauthorised");
  });
});

describe("one answer for what fetches an address", () => {
  it("comes with a token for that template alone, whole or one part as text", async () => {
    const { here } = await world();
    const token = await here.tokenWith({ right: "answer", template: "sort", perDay: 1 });
    const fetched = (query: string): Promise<Response> => fetch(`${here.base}/templates/sort/answers?${query}`);
    const whole = await fetched(`note=smoke+in+the+galley&token=${token}`);
    expect(await whole.json()).toMatchObject({ state: "answered", parts: { topic: "fire" }, standin: false });
    const part = await fetched(`note=smoke+in+the+galley&as=topic&token=${token}`);
    expect(part.headers.get("content-type")).toContain("text/plain");
    expect(await part.text()).toBe("fire");
    expect(await (await fetched(`note=&as=topic&token=${token}`)).text()).toContain("(");
    expect((await fetched(`note=smoke+in+the+galley&as=topc&token=${token}`)).status).toBe(404);
    expect((await fetched(`note=another&token=${token}`)).status).toBe(429);
    // A token for all would be read by whoever sees the sheet.
    expect((await fetched(`note=smoke&token=${here.token}`)).status).toBe(401);
    expect((await fetch(`${here.base}/project?token=${token}`)).status).toBe(401);
  });
});

describe("answers later", () => {
  it("are fetched where the answer said, and told to a named address with a signature", async () => {
    const hooked = await hook([500, 204]);
    const { here } = await world({}, `hosts: { callBack: ["${hooked.host}"], secret: { env: HOOK_SECRET } }\n`);
    const begun = await here.send("/templates/sort/answers", { json: { rows: rows(3), later: true, callBack: hooked.address } });
    expect(begun.status).toBe(202);
    const { id } = (await begun.json()) as { id: string };
    expect(begun.headers.get("location")).toBe(`/answers/${id}`);
    await expect.poll(async () => (await here.api.later(id)).state).toBe("answered");
    expect((await here.api.later(id)).report!.answers.map(({ state }) => state)).toEqual(["answered", "answered", "answered"]);
    await expect.poll(() => hooked.got.length).toBe(1);
    const { headers, body } = hooked.got[0]!;
    const sent = new Webhook(SECRET).verify(body, headers as Record<string, string>) as {
      type: string;
      data: { id: string; report: object };
    };
    expect(sent).toMatchObject({ type: "answers.ready", data: { id, state: "answered" } });
    expect(() => new Webhook(SECRET).verify(body.replace("fire", "oil"), headers as Record<string, string>)).toThrow();
    expect(headers["webhook-id"]).toBe(`answers_${id}`);
    // It was not taken, so it comes again.
    await expect.poll(async () => (await here.api.later(id)).callBack).toMatchObject({ state: "waiting", attempts: 1 });
  });

  it("go to no address that yoroshi.yaml does not name, and to none unsigned", async () => {
    const { here } = await world({}, "hosts: { callBack: [hooks.example], secret: { env: NO_SECRET } }\n");
    const refused = async (callBack: string): Promise<string> => {
      const response = await here.send("/templates/sort/answers", { json: { rows: rows(1), later: true, callBack } });
      expect(response.status).toBe(400);
      return ((await response.json()) as { detail: string }).detail;
    };
    expect(await refused("https://elsewhere.example/x")).toContain("yoroshi.yaml");
    expect(await refused("https://hooks.example.evil.example/")).toContain("yoroshi.yaml");
    expect(await refused("http://hooks.example/")).toContain("https://");
    expect(await refused("https://user:pw@hooks.example/")).toContain("password");
    expect(await refused("nonsense")).toContain("address");
    expect(await refused("https://hooks.example/")).toContain("NO_SECRET");
  });

  it("are read by the token that asked, not by another's", async () => {
    const { here } = await world();
    const [mine, other] = [await here.tokenWith({ right: "answer" }), await here.tokenWith({ right: "answer" })];
    const begun = await here.send("/templates/sort/answers", {
      json: { rows: rows(1), later: true },
      headers: { authorization: `Bearer ${mine}` },
    });
    const { id } = (await begun.json()) as { id: string };
    const read = async (token: string): Promise<number> =>
      (await here.send(`/answers/${id}`, { headers: { authorization: `Bearer ${token}` } })).status;
    expect([await read(mine), await read(other), await read(here.token)]).toEqual([200, 404, 200]);
    expect((await here.send("/answers/..%2F..%2Fyoroshi")).status).toBe(404);
  });

  it("survive a server that is stopped under 50 requests in flight: nothing paid is lost, nothing is asked twice", async () => {
    const { host, here } = await world({ latencyMs: 300 });
    const now = rows(25, "oil").map(({ note }) =>
      here.api.answer("sort", [{ note }]).then(
        ({ answers }) => answers[0]!.state,
        () => "refused",
      ),
    );
    const { id } = await here.api.answerLater("sort", rows(60));
    await expect.poll(() => host.counts.requests).toBeGreaterThan(5);
    await here.served.close(150);
    const states = await Promise.all(now);
    const asked = host.counts.requests;
    const again = await serve(here.folder);
    await expect.poll(async () => (await again.api.later(id)).state, { timeout: 30_000 }).toBe("answered");
    expect((await again.api.later(id)).report!.answers.every(({ state }) => state === "answered")).toBe(true);
    for (const [index, state] of states.entries()) {
      if (state !== "answered") continue;
      expect((await again.api.answer("sort", [rows(25, "oil")[index]!])).answers[0]!.known).toBe(true);
    }
    // Those in flight when the time was over are asked again; all others stood.
    expect(host.counts.requests).toBeLessThanOrEqual(asked + 60);
    const { days } = await again.api.readSpend({});
    const requests = days.reduce((sum, one) => sum + one.requests, 0);
    expect(requests).toBeGreaterThanOrEqual(60 + states.filter((state) => state === "answered").length);
    expect(readdirSync(path.join(here.folder, ".yoroshi", "later")).length).toBe(1);
    expect(readFileSync(path.join(here.folder, ".yoroshi", "later", `${id}.json`), "utf8")).not.toContain(again.token);
  });
});
