import { Hono, type Context } from "hono";
import { pathKeys, type RouteName } from "../api/index.js";
import { YoroshiError } from "../core/ground/index.js";
import { countAsked, runJob } from "../jobs/index.js";
import { answerRoutes } from "./answer-routes.js";
import { drain, hangUp, readJson } from "./body.js";
import { fileRoutes } from "./file-routes.js";
import { guard, keepSession, type Carried, type Reached } from "./guard.js";
import { nameOf } from "./identity.js";
import { healthRoutes } from "./health.js";
import { liveRoute } from "./live-route.js";
import { log } from "./log.js";
import { mcpRoute } from "./mcp-route.js";
import { inputOf, OPERATIONS, takesQuery, type Operation } from "./operations.js";
import { openApi } from "./open-api.js";
import { contentPolicy } from "./content-policy.js";
import { deskRoutes } from "./desk-routes.js";
import { pageRoutes } from "./page-routes.js";
import { demand, type App, type Parts } from "./parts.js";
import { problemResponse } from "./problem.js";

/** No page of ours runs or shows anything of others, nothing is kept by who passes it on, and nobody frames it. */
function pageHeaders({ scheme }: Reached): Record<string, string> {
  return {
    "content-security-policy": contentPolicy(),
    "x-content-type-options": "nosniff",
    "x-frame-options": "DENY",
    // Without a referrer a browser would send no origin with a form.
    "referrer-policy": "same-origin",
    "cross-origin-resource-policy": "same-origin",
    "cross-origin-opener-policy": "same-origin",
    "cache-control": "no-store",
    ...(scheme === "https" ? { "strict-transport-security": "max-age=15552000" } : {}),
  };
}

/** Every route, behind the guard. */
export function makeApp(parts: Parts): App {
  const app: App = new Hono<Carried>();
  app.onError(async (error, c) => {
    log(parts.log, c, error);
    const isWhole = await drain(c.env.incoming);
    return problemResponse(c, error, isWhole ? {} : { connection: "close" });
  });
  app.use(async (c, next) => {
    const began = performance.now();
    await next();
    parts.log.request(c, performance.now() - began);
  });
  const headers = Object.entries(pageHeaders(parts.reached));
  app.use(async (c, next) => {
    // On Node's own response, since those of the web platform cost more; what a route sets itself takes their place.
    for (const [name, value] of headers) c.env.outgoing.setHeader(name, value);
    if (parts.isEnding()) throw new YoroshiError("shuttingDown", {});
    await next();
  });
  app.use(guard(parts));
  healthRoutes(app, parts);
  app.get("/openapi.json", (c) => c.json(openApi()));
  app.get("/open", (c) => {
    const session = parts.sessions.open(c.req.query("token") ?? "");
    if (!session) throw new YoroshiError("signInNeeded", {});
    keepSession(c, parts.reached, session.id);
    return c.redirect("/desk/", 303);
  });
  answerRoutes(app, parts);
  fileRoutes(app, parts);
  liveRoute(app, parts);
  mcpRoute(app, parts);
  deskRoutes(app);
  pageRoutes(app, parts);
  underWayRoutes(app, parts);
  for (const operation of OPERATIONS) app.on(operation.route.method, honoPath(operation.route.path), (c) => run(c, operation, parts));
  app.notFound((c) => problemResponse(c, wrongRoute(app, c)));
  return app;
}

/** Routes that write the project's own file. */
const REOPENS = new Set<RouteName>(["saveProjectSource", "beginPlan"]);

const honoPath = (path: string): string => path.replaceAll(/\{(\w+)\}/g, ":$1");

/** A route that is there, but not in this way; or none. */
function wrongRoute(app: App, c: Context): YoroshiError {
  const allowed = app.routes
    .filter(({ path, method }) => method !== "ALL" && !path.includes("*") && fits(path, c.req.path))
    .map(({ method }) => method);
  return allowed.length > 0 && !allowed.includes(c.req.method)
    ? new YoroshiError("methodRefused", { allowed: [...new Set(allowed)] })
    : new YoroshiError("noSuchRoute", {});
}

function fits(route: string, path: string): boolean {
  const [wanted, given] = [route.split("/"), path.split("/")];
  return wanted.length === given.length && wanted.every((piece, index) => piece.startsWith(":") || piece === given[index]);
}

/** Runs the job of a route. */
async function run(c: Context<Carried>, operation: Operation, parts: Parts): Promise<Response> {
  const who = c.get("who");
  const { route, job } = operation;
  const path = Object.fromEntries(pathKeys(route.path).map((key) => [key, c.req.param(key) ?? ""]));
  demand(who, route.right, path["template"]);
  const body = takesQuery(route) ? {} : await readJson(c, parts.mostBytes);
  const input = inputOf(operation, { path, query: c.req.queries(), body, person: nameOf(who) });
  if (route.goesOn) {
    const begun = parts.underWays.start(job, path["plan"] ?? path["template"] ?? "", nameOf(who), input);
    return c.json(begun, 202, { location: `/under-way/${begun.id}` });
  }
  const admit = who.is === "token" ? () => countAsked(parts.project(), who.bearer) : undefined;
  const report = await runJob(job as never, parts.project() as never, input, { signal: hangUp(c), admit } as never);
  if (REOPENS.has(operation.name) && (operation.name !== "beginPlan" || !parts.project().isBegun)) await parts.reopen();
  parts.afterChanges.hear(operation.name, path["plan"]);
  return c.json(report as object);
}

function underWayRoutes(app: App, { underWays }: Parts): void {
  const id = (c: Context): string => c.req.param("id") ?? "";
  app.get("/under-way", (c) => {
    demand(c.get("who"), "read");
    return c.json({ underWay: underWays.all() });
  });
  app.get("/under-way/:id", (c) => {
    demand(c.get("who"), "read");
    return c.json(underWays.get(id(c)));
  });
  const acts = { pause: "pause", "go-on": "goOn", stop: "stop" } as const;
  for (const [name, act] of Object.entries(acts))
    app.post(`/under-way/:id/${name}`, (c) => {
      demand(c.get("who"), "work");
      return c.json(underWays[act](id(c)));
    });
}
