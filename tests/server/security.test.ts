import { readFileSync, symlinkSync, writeFileSync } from "node:fs";
import { spawnSync } from "node:child_process";
import { createServer, request, type IncomingMessage } from "node:http";
import { request as secureRequest } from "node:https";
import { connect, type AddressInfo } from "node:net";
import path from "node:path";
import type { Browser } from "playwright-core";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { makeToken, runJob } from "../../src/jobs/index.js";
import { serveProject } from "../../src/server/index.js";
import { openBrowser } from "../helpers/chromium.js";
import { demoProject, removeTempFolders, run, tempFolder } from "../helpers/cli.js";
import { closeServed, serve, type ServedProject } from "../helpers/served.js";

const OPENSSL = spawnSync("openssl", ["version"]).status === 0;
let here: ServedProject;
let port: number;
let cookie: string;
beforeAll(async () => {
  here = await serve(demoProject(), { mostUploadBytes: 1024 * 1024 });
  port = Number(new URL(here.base).port);
  cookie = await session();
});
afterAll(async () => {
  await closeServed();
  removeTempFolders();
});

/** Opens a link as a browser would, and keeps its cookie. */
async function session(): Promise<string> {
  const opened = await fetch(here.served.link("Ana"), {
    redirect: "manual",
    headers: { "sec-fetch-site": "none", "sec-fetch-mode": "navigate" },
  });
  expect(opened.status).toBe(303);
  return opened.headers.get("set-cookie")!.split(";")[0]!;
}

interface Sent {
  readonly method?: string;
  readonly headers?: Record<string, string>;
  readonly body?: string;
}

/** A request with any header, also those that fetch keeps for itself. */
function raw(
  to: string,
  { method = "GET", headers = {}, body }: Sent = {},
): Promise<{ status: number; code: string; headers: IncomingMessage["headers"] }> {
  return new Promise((resolve, reject) => {
    const sent = request({ host: "127.0.0.1", port, path: to, method, headers, agent: false }, (response) => {
      let text = "";
      response.on("data", (piece: Buffer) => (text += piece.toString()));
      response.on("end", () => {
        const code = /"code":"(\w+)"/.exec(text)?.[1] ?? "";
        resolve({ status: response.statusCode!, code, headers: response.headers });
      });
    });
    sent.on("error", reject);
    sent.end(body);
  });
}

const own = (): string => `http://127.0.0.1:${port}`;
const put = { method: "POST", body: '{"names":[]}', headers: { "content-type": "application/json" } };

describe("who is let in", () => {
  it("nobody without a token or a session, but for the document and whether it works", async () => {
    for (const open of ["/health", "/openapi.json", "/desk/", "/desk/table/triage", "/assets/pages.css"])
      expect((await raw(open)).status).toBe(200);
    for (const shut of ["/project", "/events", "/api", "/templates/x/answers?token=yoroshi_1", "/nothing"])
      expect(await raw(shut)).toMatchObject({ status: 401, code: "signInNeeded" });
    expect(JSON.parse(await (await fetch(`${here.base}/health`)).text())).toEqual({
      yoroshi: "0.1.0",
      works: true,
      watched: 0,
      resting: 0,
      lagMs: 0,
    });
  });

  it("nobody under another name, whatever they bring: a page whose name was made to lead here", async () => {
    const headers = { authorization: `Bearer ${here.token}` };
    for (const host of ["evil.example", `evil.example:${port}`, "127.0.0.1", `127.0.0.1:${port + 1}`, `0.0.0.0:${port}`, `[::1]:${port}`])
      expect(await raw("/project", { headers: { ...headers, host } })).toMatchObject({ status: 421, code: "hostRefused" });
    for (const host of [`127.0.0.1:${port}`, `localhost:${port}`, `LOCALHOST:${port}`])
      expect((await raw("/project", { headers: { ...headers, host } })).status).toBe(200);
    expect((await raw("/health", { headers: { host: "evil.example" } })).status).toBe(421);
  });

  it("a session from the server's own pages alone", async () => {
    const page = { cookie, "sec-fetch-site": "same-origin" };
    expect((await raw("/project", { headers: page })).status).toBe(200);
    expect((await raw("/api", { headers: { cookie, "sec-fetch-site": "none", "sec-fetch-mode": "navigate" } })).status).toBe(200);
    for (const site of [{ "sec-fetch-site": "cross-site" }, { "sec-fetch-site": "same-site" }, { "sec-fetch-site": "none" }, {}])
      expect(await raw("/project", { headers: { cookie, ...site } })).toMatchObject({ status: 403, code: "originRefused" });
    expect((await raw("/check", { ...put, headers: { ...put.headers, ...page, origin: own() } })).status).toBe(200);
    for (const origin of [`http://127.0.0.1:${port + 1}`, `https://127.0.0.1:${port}`, "http://evil.example", "null", ""])
      expect(await raw("/check", { ...put, headers: { ...put.headers, ...page, ...(origin === "" ? {} : { origin }) } })).toMatchObject({
        status: 403,
        code: "originRefused",
      });
  });

  it("a link once, and a cookie of no other port that no script reads", async () => {
    const link = here.served.link("Ana");
    const opened = await fetch(link, { redirect: "manual" });
    expect(opened.headers.get("set-cookie")).toMatch(new RegExp(`^yoroshi_${port}=[\\w-]{43}; Path=/; HttpOnly; SameSite=Strict$`));
    expect(opened.headers.get("set-cookie")).not.toContain(new URL(link).searchParams.get("token"));
    expect((await fetch(link)).status).toBe(401);
    expect((await fetch(`${here.base}/open?token=`)).status).toBe(401);
  });

  it("a token as far as its right goes, until its end", async () => {
    const answer = await here.tokenWith({ right: "answer", template: "hazard-triage" });
    const read = await here.tokenWith({ right: "read" });
    const asked = { method: "POST", body: '{"inputs":{"report":"Line parted."}}' };
    const as = (token: string, more: Record<string, string> = {}): Record<string, string> => ({
      authorization: `Bearer ${token}`,
      "content-type": "application/json",
      ...more,
    });
    expect((await raw("/templates/hazard-triage/answers", { ...asked, headers: as(answer) })).status).toBe(200);
    expect((await raw("/templates/follow-up/answers", { ...asked, headers: as(answer) })).code).toBe("rightMissing");
    expect((await raw("/project", { headers: as(answer) })).code).toBe("rightMissing");
    expect((await raw("/project", { headers: as(read) })).status).toBe(200);
    expect((await raw("/plans/triage/fills", { method: "POST", body: "{}", headers: as(read) })).code).toBe("rightMissing");
    const source = { method: "PUT", body: '{"text":"yoroshi: project/1","was":null}' };
    expect((await raw("/project/source", { ...source, headers: as(here.token) })).code).toBe("rightMissing");
    for (const wrong of ["", "yoroshi_000000000000_00000000000000000000000000000000", `${here.token}x`, here.token.slice(0, -1)])
      expect((await raw("/project", { headers: as(wrong) })).status).toBe(401);
    const listed = (await run(["serve", "token", "--json"], here.folder)).json<{ tokens: { id: string; name: string; right: string }[] }>();
    expect(listed.tokens.map(({ right }) => right).sort()).toEqual(["answer", "read", "work"]);
    const id = answer.split("_")[1]!;
    expect((await run(["serve", "token", "--end", id], here.folder)).out).toContain("works no longer");
    expect((await raw("/templates/hazard-triage/answers", { ...asked, headers: as(answer) })).status).toBe(401);
    const ledger = readFileSync(path.join(here.folder, ".yoroshi", "ledger.sqlite-wal")).toString("latin1");
    expect(ledger).toContain(id);
    expect(ledger).not.toContain(answer.split("_")[2]);
  });

  it("a person into yoroshi.yaml, but for a key that a command prints", async () => {
    const headers = { cookie, "sec-fetch-site": "same-origin", origin: own(), "content-type": "application/json" };
    const read = (await (await fetch(`${own()}/project/source`, { headers: { ...headers } })).json()) as { text: string; mark: string };
    const save = (text: string, was: string): Promise<{ status: number; code: string }> =>
      raw("/project/source", { method: "PUT", headers, body: JSON.stringify({ text, was }) });
    const sly = read.text.replace("models:", 'models:\n  sly: { endpoint: "http://127.0.0.1:9/v1", key: { command: [touch, owned] } }');
    expect(await save(sly, read.mark)).toMatchObject({ status: 400, code: "badOption" });
    expect(readFileSync(path.join(here.folder, "yoroshi.yaml"), "utf8")).toBe(read.text);
    expect((await save(read.text.replace("USD", "NZD"), read.mark)).status).toBe(200);
    expect((await here.api.showProject()).currency).toBe("NZD");
    expect(await save(read.text, read.mark)).toMatchObject({ status: 409, code: "fileChanged" });
  });

  it("strangers not too often, and whoever has a token not more often than said", async () => {
    const other = await serve(demoProject(), { perMinute: 60 });
    const statuses = await Promise.all(
      Array.from({ length: 80 }, () => other.send("/project").then(({ status, headers }) => [status, headers.get("retry-after")])),
    );
    expect(statuses.filter(([status]) => status === 200).length).toBeGreaterThanOrEqual(50);
    expect(statuses.filter(([status]) => status === 429).length).toBeGreaterThan(0);
    expect(statuses.find(([status]) => status === 429)![1]).toMatch(/^\d+$/);
    const wrong = await Promise.all(Array.from({ length: 200 }, () => fetch(`${other.base}/project`).then(({ status }) => status)));
    expect(new Set(wrong)).toEqual(new Set([401, 429]));
  });
});

describe("a page on another port, in a real browser", () => {
  let browser: Browser;
  beforeAll(async () => {
    browser = await openBrowser();
  });
  afterAll(() => browser.close());

  it("gets nothing, though the browser sends it the cookie", async () => {
    const evil = createServer((_, response) => response.setHeader("content-type", "text/html").end("<h1>elsewhere</h1>"));
    await new Promise<void>((resolve) => evil.listen(0, "127.0.0.1", resolve));
    const context = await browser.newContext();
    const page = await context.newPage();
    await page.goto(here.served.link("Ana"));
    await page.waitForURL(`${own()}/desk/`);
    await expect.poll(() => page.textContent("h1")).toBe("marrowby");
    const elsewhere = await context.newPage();
    const asked: { url: string; cookie: string | undefined }[] = [];
    elsewhere.on("request", async (one) => {
      // What is still under way when the page is closed has no headers any more.
      const headers = await one.allHeaders().catch(() => undefined);
      if (headers) asked.push({ url: one.url(), cookie: headers["cookie"] });
    });
    await elsewhere.goto(`http://127.0.0.1:${(evil.address() as AddressInfo).port}/`);
    const before = readFileSync(path.join(here.folder, "templates", "hazard-triage.yaml"), "utf8");
    const tried = await elsewhere.evaluate(async (base) => {
      const read = await fetch(`${base}/project`, { credentials: "include" }).then(
        () => "read",
        () => "refused",
      );
      await fetch(`${base}/plans/triage/fills`, {
        method: "POST",
        mode: "no-cors",
        credentials: "include",
        headers: { "content-type": "text/plain" },
        body: "{}",
      }).catch(() => undefined);
      const form = document.createElement("form");
      form.method = "post";
      form.action = `${base}/forms/hazard-triage`;
      form.innerHTML = '<input name="report" value="Line parted.">';
      document.body.append(form);
      form.submit();
      return read;
    }, own());
    await elsewhere.waitForURL(`${own()}/forms/hazard-triage`);
    expect(tried).toBe("refused");
    expect(await elsewhere.textContent("body")).toContain("Another page may not do this");
    expect(asked.some(({ url, cookie: sent }) => url.endsWith("/forms/hazard-triage") && sent !== undefined)).toBe(true);
    expect(await here.api.underWay()).toEqual([]);
    expect(readFileSync(path.join(here.folder, "templates", "hazard-triage.yaml"), "utf8")).toBe(before);
    // Nor does a page elsewhere frame it.
    const frame = await elsewhere.goto(own()).catch(() => undefined);
    expect(frame?.headers()["content-security-policy"]).toContain("frame-ancestors 'none'");
    await context.close();
    evil.close();
  });
});

describe("what is sent", () => {
  it("is no larger, no deeper and of no other type than said", async () => {
    const json = { authorization: `Bearer ${here.token}`, "content-type": "application/json" };
    const huge = await raw("/check", {
      method: "POST",
      headers: { ...json, "content-length": String(200 * 1024 * 1024) },
      body: "{",
    }).catch((error: Error) => ({ status: 0, code: error.message }));
    expect(huge).toMatchObject({ status: 413, code: "tooLarge" });
    const deep = `{"names":${"[".repeat(100_000)}${"]".repeat(100_000)}}`;
    expect(await raw("/check", { method: "POST", headers: json, body: deep })).toMatchObject({ status: 400, code: "bodyBroken" });
    expect(await raw("/check", { method: "POST", headers: json, body: "{" })).toMatchObject({ status: 400, code: "bodyBroken" });
    expect(await raw("/check", { method: "POST", headers: json, body: "[1]" })).toMatchObject({ status: 400, code: "bodyBroken" });
    expect(await raw("/check", { method: "POST", headers: { ...json, "content-type": "text/plain" }, body: "{}" })).toMatchObject({
      status: 415,
      code: "typeRefused",
    });
    expect(await raw("/check", { method: "POST", headers: { authorization: json.authorization }, body: '{"names":[]}' })).toMatchObject({
      status: 415,
    });
    expect(await raw("/check", { method: "PUT", headers: json, body: "{}" })).toMatchObject({ status: 405, code: "methodRefused" });
    expect(await raw("/nothing/here", { headers: json })).toMatchObject({ status: 404, code: "noSuchRoute" });
  });

  it("stops being read where it is too large, though it does not say so", async () => {
    const socket = connect(port, "127.0.0.1");
    let reply = "";
    socket.on("data", (piece: Buffer) => (reply += piece.toString()));
    socket.on("error", () => undefined);
    socket.write(
      `POST /check HTTP/1.1\r\nHost: 127.0.0.1:${port}\r\nAuthorization: Bearer ${here.token}\r\nContent-Type: application/json\r\nTransfer-Encoding: chunked\r\n\r\n`,
    );
    const piece = `10000\r\n${"x".repeat(0x10000)}\r\n`;
    let sent = 0;
    while (reply === "" && sent < 1_600 && !socket.destroyed) {
      if (!socket.write(piece)) await new Promise((resolve) => setTimeout(resolve, 2));
      sent++;
    }
    await expect.poll(() => reply.includes("413") || socket.destroyed).toBe(true);
    expect(sent).toBeLessThan(1_600);
    socket.destroy();
  });

  it("comes to nothing where it is a table that is none, or leads out of the project", async () => {
    const bytes = { method: "PUT", headers: { "content-type": "application/octet-stream" } };
    const upload = (name: string, body: string | Uint8Array): Promise<Response> =>
      here.send(`/tables/${name}`, { ...bytes, body: body as BodyInit });
    for (const name of ["..%2Fout.csv", "%2Fetc%2Fpasswd.csv", "a%5Cb.csv", ".hidden.csv", "x.sh", "%00.csv"])
      expect((await upload(name, "a,b\n1,2\n")).status).toBe(400);
    const broken = await upload("broken.xlsx", new Uint8Array([1, 2, 3, 4]));
    expect(broken.status).toBe(400);
    expect((await upload("big.csv", "a\n".repeat(600_000))).status).toBe(413);
    expect((await upload("deck-log.csv", "a,b\n1,2\n")).status).toBe(409);
    expect(((await (await upload("monday.csv", "id,note\n1,calm\n")).json()) as { file: string }).file).toBe("monday.csv");
    expect(readFileSync(path.join(here.folder, "monday.csv"), "utf8")).toBe("id,note\n1,calm\n");
    expect((await run(["check"], here.folder)).code).toBe(0);
  });

  it("names no file outside, by whatever key", async () => {
    const outside = tempFolder();
    writeFileSync(path.join(outside, "secret.csv"), "report,hazard\nx,fire\n");
    symlinkSync(outside, path.join(here.folder, "link"));
    const secret = path.join(outside, "secret.csv");
    const out = path.relative(here.folder, secret);
    for (const file of [secret, out, "link/secret.csv"]) {
      const refused = [
        here.send(`/samples?file=${encodeURIComponent(file)}`),
        here.send("/samples/seal", { json: { file } }),
        here.send("/plans/triage/samples", { json: { samples: file } }),
        here.send("/plans", { json: { plan: "sly", template: "hazard-triage", file } }),
        here.send("/plans/triage/table", { json: { file } }),
        here.send("/drafts", { json: { template: "sly", description: "x", table: file } }),
        here.send(`/templates/${encodeURIComponent(file.replace(/csv$/, "yaml"))}`),
      ];
      for (const response of await Promise.all(refused)) {
        expect(response.status, `${response.url} ${file}`).toBeGreaterThanOrEqual(400);
        expect(await response.text()).not.toContain("fire");
      }
    }
    const trial = await here.api.trialTemplate({ template: "hazard-triage", samples: secret });
    await expect.poll(async () => (await here.api.run(trial.id)).error?.message ?? "").toContain("leads out of the project");
    expect(readFileSync(secret, "utf8")).toBe("report,hazard\nx,fire\n");
  });

  it("leaves nothing of a row in the log", async () => {
    await here.send("/templates/hazard-triage/answers", { json: { inputs: { report: "Quixotic porcupine on the ramp." } } });
    await here.send("/templates/hazard-triage/answers?report=Quixotic+porcupine");
    await here.send("/plans/triage/rows/Quixotic");
    await expect
      .poll(() => readFileSync(path.join(here.folder, ".yoroshi", "server.jsonl"), "utf8"))
      .toContain("/templates/:template/answers");
    expect(readFileSync(path.join(here.folder, ".yoroshi", "server.jsonl"), "utf8")).not.toMatch(/quixotic|porcupine/i);
  });
});

describe("where it listens", () => {
  it("on this machine alone, and beyond it with TLS alone", async () => {
    await expect(serveProject({ folder: here.folder, port: 0, host: "desk.example" })).rejects.toMatchObject({ code: "badOption" });
    await expect(serveProject({ folder: here.folder, port })).rejects.toMatchObject({ code: "portTaken", details: { port } });
    const taken = await run(["serve", "--port", String(port)], here.folder);
    expect(taken.code).toBe(2);
    expect(taken.err).toContain(`Something else uses the port ${port}`);
  });

  it.runIf(OPENSSL)("beyond it under its name alone, with a cookie that goes by TLS only", async () => {
    const folder = tempFolder();
    const [key, cert] = [path.join(folder, "key.pem"), path.join(folder, "cert.pem")];
    const made = spawnSync("openssl", [
      "req",
      "-x509",
      "-newkey",
      "ec",
      "-pkeyopt",
      "ec_paramgen_curve:prime256v1",
      "-nodes",
      "-keyout",
      key,
      "-out",
      cert,
      "-days",
      "1",
      "-subj",
      "/CN=desk.example",
    ]);
    expect(made.status).toBe(0);
    const served = await serveProject({
      folder: demoProject(),
      port: 0,
      host: "desk.example",
      tls: { key: readFileSync(key), cert: readFileSync(cert) },
    });
    const { port: own, host } = new URL(served.address);
    expect(served.address).toBe(`https://desk.example:${own}`);
    const { token } = await runJob(makeToken, served.project, { name: "tests", person: "Ines", right: "read" });
    const ask = (to: string, headers: Record<string, string>): Promise<{ status: number; cookie: string }> =>
      new Promise((resolve, reject) => {
        secureRequest({ host: "127.0.0.1", port: own, path: to, headers, rejectUnauthorized: false, agent: false }, (response) => {
          response.resume();
          response.on("end", () => resolve({ status: response.statusCode!, cookie: String(response.headers["set-cookie"] ?? "") }));
        })
          .on("error", reject)
          .end();
      });
    const authorization = `Bearer ${token}`;
    expect((await ask("/project", { host, authorization })).status).toBe(200);
    expect((await ask("/project", { host: `127.0.0.1:${own}`, authorization })).status).toBe(421);
    const link = new URL(served.link("Ana"));
    expect((await ask(`${link.pathname}${link.search}`, { host })).cookie).toContain("; Secure");
    await served.close(500);
  });

  it("gives up a request that arrives too slowly", async () => {
    const served = await serveProject({ folder: demoProject(), port: 0, requestMs: 800 });
    const socket = connect(Number(new URL(served.address).port), "127.0.0.1");
    let reply = "";
    socket.on("data", (piece: Buffer) => (reply += piece.toString()));
    socket.on("error", () => undefined);
    const { token } = await runJob(makeToken, served.project, { name: "tests", person: "Ines", right: "read" });
    const { host } = new URL(served.address);
    socket.write(
      `POST /check HTTP/1.1\r\nHost: ${host}\r\nAuthorization: Bearer ${token}\r\nContent-Type: application/json\r\nContent-Length: 1000\r\n\r\n{`,
    );
    const drip = setInterval(() => socket.destroyed || socket.write(" "), 100);
    await expect.poll(() => socket.destroyed, { timeout: 20_000 }).toBe(true);
    clearInterval(drip);
    expect(reply === "" || /40[08]/.test(reply)).toBe(true);
    expect((await fetch(`${served.address}/health`)).status).toBe(200);
    await served.close(500);
  });

  it("sends pages that run nothing of others", async () => {
    const { headers } = await raw("/project", { headers: { authorization: `Bearer ${here.token}` } });
    expect(headers["content-security-policy"]).toContain("script-src 'self'");
    expect(headers["content-security-policy"]).not.toContain("unsafe");
    expect(headers).toMatchObject({ "x-content-type-options": "nosniff", "cache-control": "no-store", "x-frame-options": "DENY" });
    expect(headers["access-control-allow-origin"]).toBeUndefined();
  });
});
