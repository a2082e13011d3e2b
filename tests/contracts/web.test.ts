import { mkdtempSync, rmSync } from "node:fs";
import { createServer, type IncomingMessage, type Server, type ServerResponse } from "node:http";
import { once } from "node:events";
import { tmpdir } from "node:os";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { gzipSync } from "node:zlib";
import { afterAll, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { fileReader, pageHow, typeOf, type FileReader } from "../../src/adapters/source-files/index.js";
import {
  fetchAddress,
  isPublic,
  sendGuarded,
  sendTo,
  web,
  type KeptAddress,
  type Web,
  type WebSend,
} from "../../src/adapters/web/index.js";
import { systemClock } from "../../src/adapters/system-clock/index.js";
import { claim, isProblem, memoryLedger, type Clock, type Opened, type SourceHandle } from "../../src/core/index.js";
import { standinWeb, type StandinWeb } from "../../src/services/standin-web/index.js";
import { fakeClock } from "../helpers/clock.js";

const CHILD = fileURLToPath(new URL("../../dist/adapters/source-files/child.js", import.meta.url));
const YEAR = { mayFetch: true, maxAgeDays: 30 };

let folder: string;
let reader: FileReader;
let sites: StandinWeb;
let server: Server;
let port: number;
let handle: (request: IncomingMessage, response: ServerResponse) => void;
beforeAll(async () => {
  folder = mkdtempSync(path.join(tmpdir(), "yoroshi-web-"));
  reader = fileReader({ child: CHILD, processes: 1 });
  sites = await standinWeb();
  server = createServer((request, response) =>
    request.url === "/robots.txt" ? void response.writeHead(404).end() : handle(request, response),
  );
  server.listen(0, "127.0.0.1");
  await once(server, "listening");
  port = (server.address() as { port: number }).port;
});
afterAll(async () => {
  reader.close();
  await sites.close();
  server.closeAllConnections();
  await new Promise((resolve) => server.close(resolve));
  rmSync(folder, { recursive: true, force: true });
});

/** A web over the stand-in's sites, or over the test's own server, with a memory of its own. */
const webOf = (
  send: WebSend,
  clock: Clock = fakeClock(),
  addresses = new Map<string, KeptAddress>(),
  pages = new Map<string, Opened>(),
  ledger = memoryLedger(),
): Web =>
  web({
    send,
    clock,
    pauseMs: 0,
    keptFolder: path.join(folder, "kept"),
    kept: {
      address: async (of) => addresses.get(of),
      keepAddress: async (of, one) => void addresses.set(of, one),
      page: async (hash) => pages.get(hash),
      keepPage: async (hash, page) => void pages.set(hash, page),
      alone: (of) => claim(ledger, clock, of),
    },
    extract: (file, found, { address, charset }) => reader.read(file, found, pageHow(address, charset)),
    typeOf: (bytes, name) => typeOf(bytes.subarray(0, 8192), bytes.subarray(-65536), name),
  });

const open = async (own: Web, address: string, options = YEAR): Promise<Opened | string> => {
  const found = await own.find(address, options);
  if (found === undefined) return "(to be fetched)";
  if (isProblem(found)) return found.problem;
  const opened = await own.open(found);
  return isProblem(opened) ? opened.problem : opened;
};

describe("a page of the web", () => {
  beforeEach(() => void sites.asked.splice(0));

  it("is its main text, with its title and where it was found", async () => {
    const page = (await open(webOf(sendTo(sites.port)), "http://varrick-pumps.example/contact#hours")) as Opened;
    expect(page).toMatchObject({ title: "Contact Varrick Pumps", address: "http://varrick-pumps.example/contact" });
    expect(page.pages[0]!.text).toMatch(/\| Emergency number \| \+64 9 555 0172 +\|/);
    expect(page.pages[0]!.text).not.toContain("All sites of this web are made up");
    expect(page.links).toContain("http://varrick-pumps.example/about");
    expect(await open(webOf(sendTo(sites.port)), "http://pellbay-port.example/notices")).toMatchObject({
      date: new Date().toISOString().slice(0, 10),
    });
  });

  it("follows one that has moved, and tells a circle, a failing host, what is not there and what is not to be read", async () => {
    const own = webOf(sendTo(sites.port));
    expect(await open(own, "quillshore-chandlery.example/contact")).toMatchObject({ address: "http://quillshore.example/contact" });
    expect(await open(own, "http://roundabout.example")).toBe("leads in a circle");
    expect(await open(own, "http://wreck.example")).toBe("could not be had: its host failed (500)");
    expect(await open(own, "http://nowhere.example/x")).toBe("names a page that is not there (404)");
    expect(await open(own, "http://members.example/")).toBe("is not to be read by programs: its host's robots.txt says so");
    expect(sites.asked).not.toContain("members.example/");
    expect(await open(own, "file:///etc/passwd")).toBe("is no address of a page, which begins with http:// or https://");
  });

  it("is fetched once while it is young enough, over rows and runs; then the host is asked whether it has changed", async () => {
    const [addresses, pages, clock] = [new Map<string, KeptAddress>(), new Map<string, Opened>(), fakeClock()];
    const first = webOf(sendTo(sites.port), clock, addresses, pages);
    const address = "http://ostrum-safety.example/contact";
    const both = await Promise.all([first.find(address, YEAR), first.find(address, YEAR)]);
    expect(both[0]).toEqual(both[1]);
    // Another run, with what the ledger kept.
    const second = webOf(sendTo(sites.port), clock, addresses, pages);
    expect(await second.find(address, { ...YEAR, mayFetch: false })).toEqual(both[0]);
    const fetches = (): number => sites.asked.filter((one) => one === "ostrum-safety.example/contact").length;
    expect(fetches()).toBe(1);
    clock.advance(31 * 86_400_000);
    expect(await second.find(address, YEAR)).toEqual(both[0]);
    expect(fetches()).toBe(2);
    expect(await second.find(address, YEAR)).toEqual(both[0]);
    expect(fetches()).toBe(2);
    expect(await webOf(sendTo(sites.port)).find(address, { ...YEAR, mayFetch: false })).toBeUndefined();
  });

  it("is fetched by one of two processes that want it in the same moment; one that cannot be had, too", async () => {
    const [addresses, pages, ledger] = [new Map<string, KeptAddress>(), new Map<string, Opened>(), memoryLedger()];
    let asked = 0;
    handle = (request, response) => {
      asked++;
      setTimeout(() => {
        if (request.url === "/gone") response.writeHead(500).end();
        else response.writeHead(200, { "content-type": "text/html" }).end(`<title>T</title><p>${"The office is open. ".repeat(20)}</p>`);
      }, 300);
    };
    const processes = [1, 2, 3].map(() => webOf(sendTo(port), systemClock(), addresses, pages, ledger));
    const found = await Promise.all(processes.map((one) => one.find("http://office.example/hours", YEAR)));
    expect(asked).toBe(1);
    expect(new Set(found.map((one) => JSON.stringify(one))).size).toBe(1);
    asked = 0;
    const gone = await Promise.all(processes.map((one) => one.find("http://office.example/gone", YEAR)));
    expect(gone.map((one) => one && isProblem(one) && one.problem)).toEqual(Array(3).fill("could not be had: its host failed (500)"));
    // Each of them would have asked three times: a host that fails is asked again.
    expect(asked).toBeLessThanOrEqual(4);
  });

  it("has another hash when its words change, and the earlier words are kept", async () => {
    let words = "The office is open from seven. ".repeat(8);
    handle = (_, response) =>
      void response
        .writeHead(200, { "content-type": "text/html" })
        .end(`<html><title>T</title><p>${words}</p><!-- ${Math.random()} --></html>`);
    const clock = fakeClock();
    const own = webOf(sendTo(port), clock);
    const before = (await own.find("http://office.example/", YEAR)) as SourceHandle;
    clock.advance(40 * 86_400_000);
    expect(await own.find("http://office.example/", YEAR)).toMatchObject({ hash: before.hash });
    words = "The office is open from nine. ".repeat(8);
    clock.advance(40 * 86_400_000);
    const now = (await own.find("http://office.example/", YEAR)) as SourceHandle;
    expect(now.hash).not.toBe(before.hash);
    expect(await own.open(before)).toMatchObject({ pages: [{ text: expect.stringContaining("from seven") }] });
  });

  it.each<[string, (response: ServerResponse) => void, string | object]>([
    [
      "an encoding that its host names",
      (response) =>
        response
          .writeHead(200, { "content-type": "text/html; charset=shift_jis" })
          .end(
            Buffer.concat([Buffer.from("<html><title>t</title><p>"), Buffer.from("97e28b7090858d82", "hex"), Buffer.from("</p></html>")]),
          ),
      { pages: [{ text: "冷却水高" }] },
    ],
    [
      "an encoding that nobody knows",
      (response) =>
        response.writeHead(200, { "content-type": "text/html; charset=klingon" }).end("<html><title>t</title><p>plain words</p></html>"),
      { pages: [{ text: "plain words" }] },
    ],
    [
      "more than is read",
      (response) => response.writeHead(200, { "content-type": "text/html" }).end(`<html>${"x".repeat(6 * 1024 * 1024)}`),
      "gives more than 5 MB",
    ],
    [
      "more than is read once it is unpacked",
      (response) =>
        response
          .writeHead(200, { "content-type": "text/html", "content-encoding": "gzip" })
          .end(gzipSync(`<html>${" ".repeat(60 * 1024 * 1024)}`)),
      "gives more than 5 MB",
    ],
    [
      "a file",
      (response) => response.writeHead(200, { "content-type": "application/pdf" }).end("%PDF-1.7 x"),
      "gives a file (application/pdf) and no page; make the input a `document` or an `image`",
    ],
    [
      "elements without end",
      (response) => response.writeHead(200, { "content-type": "text/html" }).end(`<html>${"<div>".repeat(20_000)}x`),
      "has elements nested more than 500 deep",
    ],
    ["nothing", (response) => response.writeHead(200, { "content-type": "text/html" }).end(), "gives what is an empty file"],
    [
      "redirects without end",
      (response) => response.writeHead(302, { location: `/${Math.random()}` }).end(),
      "leads on and on, more than 5 times",
    ],
    [
      "a redirect to a file of this machine",
      (response) => response.writeHead(302, { location: "file:///etc/passwd" }).end(),
      "leads to an address of the kind `file:`, which is not read",
    ],
    ["a connection that breaks off", (response) => void response.socket!.destroy(), "could not be had: ECONNRESET"],
  ])("gives %s", async (_, answer, result) => {
    handle = (_request, response) => answer(response);
    const got = await open(webOf(sendTo(port)), "http://office.example/a");
    if (typeof result === "string") expect(got).toBe(result);
    else expect(got).toMatchObject(result);
  });

  it("tells a PDF that is a page of HTML, and reads a file at an address", async () => {
    handle = (request, response) =>
      void response
        .writeHead(200, { "content-type": "text/html" })
        .end(request.url === "/a.pdf" ? "<html><p>Sign in</p></html>" : "plain words");
    const own = webOf(sendTo(port));
    expect(await own.file("http://office.example/a.pdf", YEAR)).toEqual({
      problem: "gives a page of HTML where a file was named; perhaps one has to sign in there",
    });
    expect(await own.file("http://office.example/a.txt", YEAR)).toMatchObject({ handle: { type: "text/plain", bytes: 11 } });
  });
});

describe("a host that answers slowly", () => {
  it("is given up after a time that covers the body, too", async () => {
    const limits = { timeoutMs: 300, maxBytes: 1_000, maxRedirects: 1 };
    const fetching = (): Promise<unknown> =>
      fetchAddress("http://office.example/", { send: sendTo(port), limits, before: async () => undefined });
    handle = () => undefined;
    expect(await fetching()).toEqual({ problem: "did not come within 0.3 seconds", mayPass: true });
    handle = (_, response) => void response.writeHead(200, { "content-type": "text/html" }).write("<html>");
    expect(await fetching()).toEqual({ problem: "did not come within 0.3 seconds", mayPass: true });
  });
});

describe("addresses of private networks", () => {
  it("are told from public ones", () => {
    for (const one of [
      "127.0.0.1",
      "10.1.2.3",
      "192.168.0.1",
      "172.16.9.9",
      "169.254.169.254",
      "::1",
      "fd00::1",
      "::ffff:127.0.0.1",
      "0.0.0.0",
      "100.64.0.1",
      "224.0.0.1",
      "2002:7f00:1::",
    ])
      expect([one, isPublic(one)]).toEqual([one, false]);
    for (const one of ["8.8.8.8", "2606:4700::1111"]) expect([one, isPublic(one)]).toEqual([one, true]);
  });

  const PRIVATE = "leads into a private network; name its host in yoroshi.yaml, if it may be read: `hosts: { allow: [intranet.example] }`";

  it("are refused when connecting: written out, by a name, by a name server that changes its mind, after a redirect", async () => {
    handle = (_, response) => void response.writeHead(200, { "content-type": "text/plain" }).end("the secret");
    const literal = webOf(sendGuarded(() => false));
    for (const host of ["127.0.0.1", "[::1]", "localhost", "[::ffff:127.0.0.1]", "2130706433", "0x7f.1"])
      expect(await open(literal, `http://${host}:${port}/`)).toBe(PRIVATE);
    // Of what a name server says each time it is asked, all must be public; what is connected to is what was looked at.
    const changing = sendGuarded(
      () => false,
      (_host, _options, done) =>
        done(null, [
          { address: "8.8.8.8", family: 4 },
          { address: "127.0.0.1", family: 4 },
        ]),
    );
    expect(await open(webOf(changing), `http://rebind.example:${port}/`)).toBe(PRIVATE);
    // Whoever is allowed leads nowhere else.
    handle = (_, response) => void response.writeHead(302, { location: `http://127.0.0.1:${port}/inner` }).end();
    const allowed = sendGuarded((host) => host === `localhost:${port}`);
    expect(await open(webOf(allowed), `http://localhost:${port}/`)).toBe(PRIVATE);
    handle = (_, response) => void response.writeHead(200, { "content-type": "text/plain" }).end("of the house");
    expect(await open(webOf(allowed), `http://localhost:${port}/b`)).toMatchObject({ pages: [{ text: "of the house" }] });
  });
});
