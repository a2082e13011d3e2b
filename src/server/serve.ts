import { once } from "node:events";
import { createServer as createHttp, type Server } from "node:http";
import { createServer as createHttps } from "node:https";
import type { AddressInfo, Socket } from "node:net";
import path from "node:path";
import { getRequestListener } from "@hono/node-server";
import { YoroshiError } from "../core/ground/index.js";
import { giveBackAsked, LaterAnswers, openProject, type Project } from "../jobs/index.js";
import { AfterChanges } from "./after-changes.js";
import { makeApp } from "./app.js";
import type { Reached } from "./guard.js";
import { Live } from "./live.js";
import { serverLog } from "./log.js";
import { Rates } from "./rates.js";
import { Sessions } from "./sessions.js";
import { UnderWays } from "./under-way.js";
import { watchProject } from "./watch-project.js";
import { Watching } from "./watching.js";

/** How a project is served. */
export interface ServeOptions {
  /** The project's folder, or one below it. */
  readonly folder?: string | undefined;
  /** Where there is no project, serve a folder in which one can be begun. Default false. */
  readonly orNew?: boolean | undefined;
  /** Default 4747; 0 for any that is free. */
  readonly port?: number | undefined;
  /** A name beyond this machine, which needs `tls`. Default: 127.0.0.1 alone. */
  readonly host?: string | undefined;
  readonly tls?: { readonly cert: string | Buffer; readonly key: string | Buffer } | undefined;
  /** Requests that a session or a token may send in a minute. Default 6,000. */
  readonly perMinute?: number | undefined;
  /** Most bytes of a table that is uploaded. Default 200 MB. */
  readonly mostUploadBytes?: number | undefined;
  /** How long a request may take to arrive. Default two minutes. */
  readonly requestMs?: number | undefined;
  readonly onNotice?: ((text: string) => void) | undefined;
}

/** A project that is served. */
export interface Served {
  readonly address: string;
  readonly project: Project;
  /** The address that a person opens; it works once, within ten minutes. */
  link(person: string): string;
  /** Takes no more requests, finishes what it can within a time, and closes the project; nothing that was paid is lost. */
  close(graceMs?: number): Promise<void>;
}

const DEFAULT_PORT = 4747;
const DEFAULT_PER_MINUTE = 6_000;
const STRANGERS_PER_MINUTE = 120;
const MOST_BYTES = 8 * 1024 * 1024;
const MOST_UPLOAD_BYTES = 200 * 1024 * 1024;
/** A request that takes longer to arrive is given up. */
const REQUEST_MS = 120_000;
const HEADERS_MS = 20_000;
/** How often it is looked for requests that take too long. */
const LOOKING = { connectionsCheckingInterval: 1_000 };
const GRACE_MS = 10_000;
/** A project that was opened anew is closed once nobody can still be at work in it. */
const RETIRED_MS = 30_000;

/**
 * Serves a project over HTTP.
 *
 * @throws YoroshiError `noProject`, `filesInvalid`, `portTaken`, `badOption` for a host beyond this machine without TLS.
 */
export async function serveProject(options: ServeOptions = {}): Promise<Served> {
  const { host, tls, onNotice = () => undefined } = options;
  if (host !== undefined && !tls)
    throw new YoroshiError("badOption", {
      option: "--host",
      problem: "beyond this machine the server speaks TLS alone. Give --tls-cert and --tls-key, or leave --host out.",
    });
  const open = (): Promise<Project> => openProject({ cwd: options.folder, confined: true, orNew: options.orNew, onNotice });
  let project = await open();
  // A server with TLS is used as one without.
  const server: Server = tls ? (createHttps({ ...LOOKING, cert: tls.cert, key: tls.key }) as unknown as Server) : createHttp(LOOKING);
  try {
    server.requestTimeout = options.requestMs ?? REQUEST_MS;
    server.headersTimeout = Math.min(HEADERS_MS, server.requestTimeout);
    await listen(server, options.port ?? DEFAULT_PORT, host === undefined ? "127.0.0.1" : undefined);
  } catch (error) {
    await project.close();
    throw error;
  }
  const { port } = server.address() as AddressInfo;
  const reached = reachedUnder(host, port, tls !== undefined);
  const now = (): number => Date.now();
  const log = serverLog(project.root);
  const live = new Live();
  const current = (): Project => project;
  let stopHearing = hear(project, live);
  const retired = new Set<Project>();
  const retire = async (old: Project): Promise<void> => {
    if (!retired.delete(old)) return;
    await giveBackAsked(old);
    await old.close();
  };
  const reopen = async (): Promise<void> => {
    const old = project;
    project = await open();
    stopHearing();
    stopHearing = hear(project, live);
    void watching.renew();
    // A folder is watched from the moment on that it is a project: before, it may be any folder.
    if (project.isBegun) unwatch ??= await watchProject(current, live, reopen, onFile);
    live.again();
    // What is under way, and whoever still waits for an answer, keeps what it was begun with.
    retired.add(old);
    void underWays
      .settled()
      .then(() => sleep(RETIRED_MS))
      .then(() => retire(old));
  };
  const watching = new Watching(
    current,
    ({ type, plan }) => (type === "notice" ? undefined : live.watch(plan)),
    (plan, problem) => log.note("plan not watched", { plan, problem }),
  );
  const onFile = (file: string): void => void (/^plans\/[^/]+\.ya?ml$/.test(file) && watching.look());
  const later = new LaterAnswers(current);
  const afterChanges = new AfterChanges(current, (plan, error) => log.note("table not written", { plan, name: (error as Error).name }));
  const underWays = new UnderWays(
    current,
    (one) => live.run(one),
    (plan) => afterChanges.giveWay(plan),
  );
  let isEnding = false;
  const perMinute = options.perMinute ?? DEFAULT_PER_MINUTE;
  const sessions = new Sessions(now, path.join(project.root, ".yoroshi", `sessions-${port}.json`));
  const parts = {
    project: current,
    reopen,
    reached,
    sessions,
    rates: new Rates(perMinute, Math.max(50, perMinute / 10), now),
    strangers: new Rates(STRANGERS_PER_MINUTE, STRANGERS_PER_MINUTE, now),
    live,
    underWays,
    later,
    afterChanges,
    log,
    mostBytes: MOST_BYTES,
    mostUploadBytes: options.mostUploadBytes ?? MOST_UPLOAD_BYTES,
    isEnding: () => isEnding,
  };
  answerWith(server, makeApp(parts).fetch);
  await later.resume();
  void watching.look();
  let unwatch = project.isBegun ? await watchProject(current, live, reopen, onFile) : undefined;
  let closing: Promise<void> | undefined;
  const [name] = reached.hosts;
  const address = `${reached.scheme}://${name}`;
  return {
    address,
    get project() {
      return project;
    },
    link: (person) => `${address}/open?token=${sessions.link(person)}`,
    close: (graceMs = GRACE_MS) => (closing ??= close(graceMs)),
  };

  async function close(graceMs: number): Promise<void> {
    isEnding = true;
    await unwatch?.();
    live.close();
    const closed = new Promise((resolve) => server.close(resolve));
    server.closeIdleConnections();
    await Promise.all([underWays.close(graceMs), watching.close(graceMs), later.close(graceMs), Promise.race([closed, sleep(graceMs)])]);
    server.closeAllConnections();
    await afterChanges.close();
    stopHearing();
    for (const old of retired) await retire(old);
    await giveBackAsked(project);
    await project.close();
    log.close();
  }
}

const sleep = (ms: number): Promise<void> =>
  new Promise((resolve) => {
    setTimeout(resolve, ms).unref();
  });

function hear(project: Project, live: Live): () => void {
  return project.onRecorded((cells) => {
    for (const { plan, key } of cells) live.cells(plan, [key]);
  });
}

function reachedUnder(host: string | undefined, port: number, isTls: boolean): Reached {
  const scheme = isTls ? "https" : "http";
  const own = scheme === "https" ? 443 : 80;
  const names = host === undefined ? ["127.0.0.1", "localhost"] : [host.toLowerCase()];
  return { scheme, port, hosts: names.map((name) => (port === own ? name : `${name}:${port}`)) };
}

async function listen(server: Server, port: number, host: string | undefined): Promise<void> {
  const listening = once(server, "listening");
  server.listen(port, host);
  try {
    await listening;
  } catch (error) {
    const { code } = error as { code?: string };
    if (code === "EADDRINUSE") throw new YoroshiError("portTaken", { port });
    if (code === "EACCES") throw new YoroshiError("badOption", { option: "--port", problem: "this port may not be used." });
    throw error;
  }
}

/** Answers a server's requests by a fetch-like function. */
function answerWith(server: Server, fetch: (request: Request) => Response | Promise<Response>): void {
  const listener = getRequestListener(fetch as never);
  server.on("request", listener);
  server.on("connection", (socket: Socket) => socket.setNoDelay(true));
}
