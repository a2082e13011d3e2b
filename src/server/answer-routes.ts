import { createHash } from "node:crypto";
import type { Context } from "hono";
import { YoroshiError } from "../core/ground/index.js";
import { answerRows, countAsked, onceOnly, readGiven, runJob, type Project } from "../jobs/index.js";
import { demand, type App, type Parts } from "./parts.js";
import { answersBody } from "./answers-body.js";
import { hangUp, readJson } from "./body.js";
import type { Carried } from "./guard.js";
import { countedAs, nameOf, type Identity } from "./identity.js";

/** A template's answers, for programs. */
export function answerRoutes(app: App, parts: Parts): void {
  app.post("/templates/:template/answers", async (c) => {
    const template = c.req.param("template");
    const who = c.get("who");
    demand(who, "answer", template);
    const body = await readJson(c, parts.mostBytes);
    const key = c.req.header("idempotency-key");
    if (key === undefined) return respond(c, await answer(c, parts, template, body));
    if (!/^[\x21-\x7e]{1,255}$/.test(key))
      throw new YoroshiError("badOption", { option: "Idempotency-Key", problem: "1 to 255 letters, digits and signs, without spaces." });
    const request = createHash("sha256")
      .update(JSON.stringify([template, body]))
      .digest("hex");
    const answered = await onceOnly(parts.project(), `${countedAs(who)} ${key}`, request, () => answer(c, parts, template, body));
    return respond(c, answered as Answered);
  });

  app.get("/templates/:template/answers", async (c) => {
    const template = c.req.param("template");
    const who = c.get("who");
    demand(who, "answer", template);
    const { token: _, as, ...given } = c.req.query();
    const report = await runJob(
      answerRows,
      parts.project(),
      { template, rows: [given] },
      { signal: hangUp(c), admit: admitOf(parts.project(), who) },
    );
    const [answer] = report.answers;
    c.header("cache-control", "private, max-age=60");
    if (as === undefined) return c.json({ ...answer, template: report.template, version: report.version, standin: report.standin });
    // One cell of a spreadsheet: the part's own text, or why there is none.
    const value = answer!.cells?.[as];
    if (answer!.cells && value === undefined)
      throw new YoroshiError("notFound", { what: "part of the answer", name: as, known: Object.keys(answer!.cells) });
    return c.text(value ?? `(${answer!.reason ?? answer!.state})`);
  });

  app.get("/answers/:id", async (c) => {
    const who = c.get("who");
    demand(who, "answer", who.is === "token" ? who.bearer.template : undefined);
    return c.json(await parts.later.read(c.req.param("id"), who.is === "token" ? who.bearer : undefined));
  });
}

interface Answered {
  readonly status: 200 | 202;
  readonly body: object;
  readonly location?: string;
}

function respond(c: Context, { status, body, location }: Answered): Response {
  return c.json(body, status, location === undefined ? {} : { location });
}

const admitOf = (project: Project, who: Identity): (() => Promise<void>) | undefined =>
  who.is === "token" ? () => countAsked(project, who.bearer) : undefined;

async function answer(c: Context<Carried>, parts: Parts, template: string, given: Record<string, unknown>): Promise<Answered> {
  const { inputs, rows, fresh, later = false, callBack } = readGiven(answersBody, given, "answers");
  if ((inputs === undefined) === (rows === undefined))
    throw new YoroshiError("badInput", { job: "answers", problems: ["say either `inputs` (one row) or `rows`"] });
  if (callBack !== undefined && !later)
    throw new YoroshiError("badInput", { job: "answers", problems: ["a `callBack` goes with `later: true`"] });
  const who = c.get("who");
  const asked = rows ?? [inputs!];
  if (later) {
    const bearer = who.is === "token" ? who.bearer : undefined;
    const begun = await parts.later.start({ template, rows: asked, fresh, callBack, by: nameOf(who), bearer });
    return { status: 202, body: begun, location: `/answers/${begun.id}` };
  }
  const input = { template, rows: asked, ...(fresh ? { fresh } : {}) };
  const context = { signal: hangUp(c), admit: admitOf(parts.project(), who) };
  return { status: 200, body: await runJob(answerRows, parts.project(), input, context) };
}
