import type { Context } from "hono";
import { YoroshiError } from "../core/ground/index.js";
import { answerRows, runJob, templateSchema, type AnswersReport } from "../jobs/index.js";
import { demand, type App, type Parts } from "./parts.js";
import { hangUp } from "./body.js";
import { openApi } from "./open-api.js";
import { apiPage } from "./pages/api.js";
import { formPage } from "./pages/form.js";
import { STYLE } from "./pages/style.js";

const MOST_FORM_BYTES = 256 * 1024;

/** Pages that need nothing but the server: the API, a form for each template. */
export function pageRoutes(app: App, { project, reached }: Parts): void {
  app.get("/assets/pages.css", (c) =>
    c.body(STYLE, 200, { "content-type": "text/css; charset=utf-8", "cache-control": "private, max-age=3600" }),
  );

  app.get("/api", (c) => {
    demand(c.get("who"), "read");
    return c.html(apiPage(openApi(), `${reached.scheme}://${reached.hosts[0]}`));
  });

  app.get("/forms/:template", async (c) => {
    const template = c.req.param("template");
    demand(c.get("who"), "answer", template);
    return c.html(formPage(await runJob(templateSchema, project(), { template }), {}));
  });

  app.post("/forms/:template", async (c) => {
    const template = c.req.param("template");
    // A form is for people: no token comes with one.
    demand(c.get("who"), "person");
    const given = await formFields(c);
    const schema = await runJob(templateSchema, project(), { template });
    const report = await runJob(answerRows, project(), { template, rows: [given] }, { signal: hangUp(c) });
    return c.html(formPage(schema, given, report as AnswersReport));
  });
}

async function formFields(c: Context): Promise<Record<string, string>> {
  if (!/^application\/x-www-form-urlencoded/i.test(c.req.header("content-type") ?? ""))
    throw new YoroshiError("typeRefused", { expected: "a form (application/x-www-form-urlencoded)" });
  if (Number(c.req.header("content-length") ?? Infinity) > MOST_FORM_BYTES)
    throw new YoroshiError("tooLarge", { what: "The form", bytes: MOST_FORM_BYTES });
  return Object.fromEntries(new URLSearchParams(await c.req.text()));
}
