import { mkdirSync } from "node:fs";
import path from "node:path";
import type { Context } from "hono";
import { destination, pino, stdTimeFunctions } from "pino";
import { knownError } from "../jobs/index.js";
import { countedAs, type Identity } from "./identity.js";

/** What is kept of requests: never an address as it was sent, a body, or a row. */
export interface ServerLog {
  request(c: Context, ms: number): void;
  note(text: string, about: Readonly<Record<string, string | number>>): void;
  close(): void;
}

/** A log in the project's own folder, a line for each request. */
export function serverLog(root: string): ServerLog {
  mkdirSync(path.join(root, ".yoroshi"), { recursive: true });
  const file = destination({ dest: path.join(root, ".yoroshi", "server.jsonl"), sync: false, minLength: 4_096 });
  const logger = pino({ base: null, timestamp: stdTimeFunctions.isoTime }, file);
  const timer = setInterval(() => file.flush(), 1_000);
  timer.unref();
  return {
    request(c, ms) {
      const who = c.get("who") as Identity | undefined;
      const by = who ? countedAs(who).slice(0, 24) : "nobody";
      logger.info({ method: c.req.method, route: c.req.routePath, status: c.res.status, ms: Math.round(ms * 10) / 10, by });
    },
    note: (text, about) => logger.info(about, text),
    close() {
      clearInterval(timer);
      file.flushSync();
      file.end();
    },
  };
}

/** An error of the server's own is kept with its code; what it says may name a row. */
export function log(to: ServerLog, c: Context, error: unknown): void {
  const { code } = knownError(error);
  if (code === "unexpected")
    to.note("unexpected error", { route: c.req.routePath, name: error instanceof Error ? error.name : typeof error });
}
