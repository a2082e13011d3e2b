import { Readable } from "node:stream";
import type { Context, Hono } from "hono";
import type { Route } from "../api/index.js";
import { YoroshiError } from "../core/ground/index.js";
import type { LaterAnswers, Project } from "../jobs/index.js";
import type { AfterChanges } from "./after-changes.js";
import type { Carried, Reached } from "./guard.js";
import { may, type Identity } from "./identity.js";
import type { Live } from "./live.js";
import type { ServerLog } from "./log.js";
import type { Rates } from "./rates.js";
import type { Sessions } from "./sessions.js";
import type { UnderWays } from "./under-way.js";

/** All that a request may need. */
export interface Parts {
  readonly project: () => Project;
  /** Opens the project anew, once yoroshi.yaml has changed. */
  readonly reopen: () => Promise<void>;
  readonly reached: Reached;
  readonly sessions: Sessions;
  readonly rates: Rates;
  readonly strangers: Rates;
  readonly live: Live;
  readonly underWays: UnderWays;
  readonly later: LaterAnswers;
  readonly afterChanges: AfterChanges;
  readonly log: ServerLog;
  /** Most bytes of a JSON body, and of a table that is uploaded. */
  readonly mostBytes: number;
  readonly mostUploadBytes: number;
  readonly isEnding: () => boolean;
}

export type App = Hono<Carried>;

/** @throws YoroshiError `rightMissing`. */
export function demand(who: Identity, needs: Route["right"], template?: string): void {
  if (!may(who, needs, template)) throw new YoroshiError("rightMissing", { needs });
}

/** A stream of bytes as a response that is saved as a file. */
export function asDownload(
  c: Context,
  { name, type, bytes }: { readonly name: string; readonly type: string; readonly bytes: Readable },
): Response {
  return c.body(Readable.toWeb(bytes) as ReadableStream, 200, {
    "content-type": type,
    "content-disposition": `attachment; filename*=UTF-8''${encodeURIComponent(name)}`,
  });
}
