import { once } from "node:events";
import { createServer, type IncomingMessage, type ServerResponse } from "node:http";
import { setTimeout as sleep } from "node:timers/promises";
import { searchService, SEARCH_HOST } from "./search.js";
import { siteFiles } from "./site-files.js";

/** The stand-in's small web, served. */
export interface StandinWeb {
  readonly port: number;
  /** Requests received so far, by host and path. */
  readonly asked: string[];
  close(): Promise<void>;
}

export interface StandinWebOptions {
  /** Default 0: any free port. */
  readonly port?: number | undefined;
  /** A folder of sites. Default: those that ship with the package. */
  readonly folder?: string | undefined;
  /** The day, ISO 8601, that pages which change daily show. Default: today's. */
  readonly day?: (() => string) | undefined;
  /** Told of each request: its host and path. */
  readonly onAsked?: ((address: string) => void) | undefined;
}

/**
 * Serves a small web of made-up suppliers and ports on this machine, with an engine that searches it (`search.example`): hosts are told
 * apart by the name in the request. Some are slow, some have moved, one gives orders to models, one changes daily.
 */
export async function standinWeb({
  port = 0,
  folder,
  day = () => new Date().toISOString().slice(0, 10),
  onAsked,
}: StandinWebOptions = {}): Promise<StandinWeb> {
  const sites = siteFiles(folder);
  const search = searchService(sites);
  const asked: string[] = [];
  const answer = async (request: IncomingMessage, response: ServerResponse): Promise<void> => {
    const host = (request.headers.host ?? "").replace(/:\d+$/, "");
    const url = new URL(request.url ?? "/", `http://${host || "nowhere.example"}`);
    asked.push(`${host}${url.pathname}`);
    onAsked?.(`${host}${url.pathname}${url.search}`);
    const { slowMs, movedTo, status, robots } = sites.ways(host);
    if (slowMs) await sleep(slowMs);
    const reply = (code: number, type: string, body: string, headers: Record<string, string> = {}): void => {
      response.writeHead(code, { "content-type": type, ...headers });
      response.end(body);
    };
    if (url.pathname === "/robots.txt") return robots ? reply(200, "text/plain", robots) : reply(404, "text/plain", "none");
    if (status !== undefined) return reply(status, "text/plain", "broken");
    if (movedTo !== undefined)
      return reply(301, "text/plain", "moved", {
        location: url.href.startsWith(movedTo) ? movedTo : `${movedTo}${url.pathname === "/" ? "" : url.pathname}`,
      });
    const found = host === SEARCH_HOST ? search(url) : undefined;
    if (found) return reply(200, found.type, found.body);
    const page = sites.page(host, url.pathname);
    if (page === undefined)
      return reply(404, "text/html; charset=utf-8", "<!doctype html><title>Not there</title><p>There is no such page.</p>");
    const body = ofDay(page, day());
    const etag = `"${[...body].reduce((hash, char) => (Math.imul(hash, 31) + char.charCodeAt(0)) | 0, 7)}"`;
    if (request.headers["if-none-match"] === etag) {
      response.writeHead(304, { etag });
      response.end();
      return;
    }
    reply(200, "text/html; charset=utf-8", body, { etag });
  };
  const server = createServer((request, response) => void answer(request, response).catch(() => response.destroy()));
  server.listen(port, "127.0.0.1");
  await once(server, "listening");
  return {
    port: (server.address() as { port: number }).port,
    asked,
    close: () =>
      new Promise((resolve) => {
        server.close(() => resolve());
        server.closeAllConnections();
      }),
  };
}

/** What changes daily: the day, a notice's number, a berth. */
function ofDay(page: string, day: string): string {
  const number = Math.floor(Date.parse(day) / 86_400_000);
  return page
    .replaceAll("{{day}}", day)
    .replaceAll("{{number}}", String(number % 1000))
    .replaceAll("{{berth}}", String(1 + (number % 4)));
}
