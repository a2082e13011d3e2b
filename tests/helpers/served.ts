import { runJob, makeToken, type Right } from "../../src/jobs/index.js";
import { serveProject, type Served, type ServeOptions } from "../../src/server/index.js";
import { setTimeout as sleep } from "node:timers/promises";
import { client, type Client, type UnderWay } from "../../src/client/index.js";

/** A project that is served, with a token to work with. */
export interface ServedProject {
  readonly served: Served;
  readonly folder: string;
  readonly base: string;
  readonly token: string;
  /** The typed client with that token. */
  readonly api: Client;
  /** A plain request with the token. */
  send(path: string, init?: RequestInit & { readonly json?: unknown }): Promise<Response>;
  /** A token of another kind. */
  tokenWith(about: {
    readonly right?: Right;
    readonly template?: string;
    readonly perDay?: number;
    readonly days?: number;
  }): Promise<string>;
}

/** Waits until a fill or a trial is paused or over. */
export async function untilOver(api: Client, id: string): Promise<UnderWay> {
  for (;;) {
    const now = await api.run(id);
    if (!["running", "pausing", "stopping"].includes(now.state)) return now;
    await sleep(20);
  }
}

const open: Served[] = [];

export async function closeServed(): Promise<void> {
  for (const one of open.splice(0)) await one.close(2_000);
}

export async function serve(folder: string, options: ServeOptions = {}): Promise<ServedProject> {
  const served = await serveProject({ folder, port: 0, ...options });
  open.push(served);
  const tokenWith: ServedProject["tokenWith"] = async (about) =>
    (await runJob(makeToken, served.project, { name: "tests", person: "Ines", ...about })).token;
  const token = await tokenWith({ right: "work", perDay: 10_000 });
  const base = served.address;
  return {
    served,
    folder,
    base,
    token,
    tokenWith,
    api: client({ base, token }),
    send: (path, { json, ...init } = {}) =>
      fetch(`${base}${path}`, {
        ...init,
        headers: {
          authorization: `Bearer ${token}`,
          ...(json === undefined ? {} : { "content-type": "application/json" }),
          ...(init.headers as Record<string, string>),
        },
        ...(json === undefined ? {} : { method: init.method ?? "POST", body: JSON.stringify(json) }),
      }),
  };
}
