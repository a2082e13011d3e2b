import type { HttpBindings } from "@hono/node-server";
import type { Context, MiddlewareHandler } from "hono";
import { getCookie, setCookie } from "hono/cookie";
import { YoroshiError } from "../core/ground/index.js";
import { bearerOf, type Project } from "../jobs/index.js";
import { countedAs, type Identity } from "./identity.js";
import type { Rates } from "./rates.js";
import type { Sessions } from "./sessions.js";

/** What the server is reached under. */
export interface Reached {
  readonly scheme: "http" | "https";
  /** With its port where it has one that is not the scheme's own. */
  readonly hosts: readonly string[];
  readonly port: number;
}

/** What a request carries on its way through the server. */
export interface Carried {
  Bindings: HttpBindings;
  Variables: { who: Identity };
}

const OPEN_TO_ALL = new Set(["/health", "/openapi.json", "/open", "/", "/desk", "/assets/pages.css"]);
const DESK = "/desk/";
/** The one address where a token may stand in the query, since a spreadsheet sends no headers. */
const FETCHED = /^\/templates\/[^/]+\/answers$/;

export interface GuardOptions {
  readonly reached: Reached;
  readonly sessions: Sessions;
  readonly project: () => Project;
  readonly rates: Rates;
  /** Of those who come with a wrong token. */
  readonly strangers: Rates;
}

const cookieName = ({ port }: Reached): string => `yoroshi_${port}`;

/** Keeps a session under a cookie of its own for each port, since cookies ignore ports. */
export function keepSession(c: Context, reached: Reached, id: string): void {
  setCookie(c, cookieName(reached), id, { httpOnly: true, sameSite: "Strict", path: "/", secure: reached.scheme === "https" });
}

/**
 * Lets in who may come: the host's name first (a page elsewhere whose name was made to lead here has another), then a token, which no
 * browser sends by itself, or a session's cookie, which one does, and therefore only from the server's own pages.
 */
export function guard({ reached, sessions, project, rates, strangers }: GuardOptions): MiddlewareHandler<Carried> {
  return async (c, next) => {
    const host = c.req.header("host")?.toLowerCase() ?? "";
    if (!reached.hosts.includes(host)) throw new YoroshiError("hostRefused", {});
    if (OPEN_TO_ALL.has(c.req.path) || c.req.path.startsWith(DESK)) return next();
    const who = (await byToken(c)) ?? byCookie(c, host);
    if (!who) {
      const wait = strangers.take("strangers");
      throw wait === undefined ? new YoroshiError("signInNeeded", {}) : new YoroshiError("tooMany", { seconds: wait });
    }
    const wait = rates.take(countedAs(who));
    if (wait !== undefined) throw new YoroshiError("tooMany", { seconds: wait });
    c.set("who", who);
    return next();
  };

  async function byToken(c: Context): Promise<Identity | undefined> {
    const [, given] = /^bearer\s+(\S+)$/i.exec(c.req.header("authorization") ?? "") ?? [];
    const fetched = given === undefined && c.req.method === "GET" && FETCHED.test(c.req.path) ? c.req.query("token") : undefined;
    const token = given ?? fetched;
    if (token === undefined) return undefined;
    const bearer = await bearerOf(project(), token);
    // What stands in an address gets about, so it may open one template and no more.
    if (!bearer || (fetched !== undefined && bearer.template === undefined)) return undefined;
    return { is: "token", person: bearer.person, bearer };
  }

  function byCookie(c: Context, host: string): Identity | undefined {
    const id = getCookie(c, cookieName(reached));
    const person = id === undefined ? undefined : sessions.personOf(id);
    if (id === undefined || person === undefined) return undefined;
    const isReading = c.req.method === "GET" || c.req.method === "HEAD";
    const site = c.req.header("sec-fetch-site");
    const isPage = c.req.header("sec-fetch-mode") === "navigate";
    const isOwn = isReading
      ? site === "same-origin" || (site === "none" && isPage)
      : c.req.header("origin") === `${reached.scheme}://${host}` && (site === undefined || site === "same-origin");
    if (!isOwn) throw new YoroshiError("originRefused", {});
    return { is: "person", person, session: id };
  }
}
