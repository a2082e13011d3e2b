import { Validator } from "@seriousme/openapi-schema-validator";
import { Ajv2020, type ValidateFunction } from "ajv/dist/2020.js";
import addFormats from "ajv-formats";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { EXAMPLES, ROUTES, type Example, type Route, type RouteName } from "../../src/api/index.js";
import { demoProject, removeTempFolders } from "../helpers/cli.js";
import { closeServed, serve, untilOver, type ServedProject } from "../helpers/served.js";

interface Operation {
  readonly operationId: string;
  readonly parameters?: readonly { readonly name: string; readonly in: string; readonly schema: object }[];
  readonly requestBody?: { readonly content: { readonly "application/json"?: { readonly schema: object } } };
  readonly responses: Readonly<Record<string, { readonly content?: Readonly<Record<string, { readonly schema: object }>> }>>;
}

interface Doc {
  readonly paths: Readonly<Record<string, Readonly<Record<string, Operation>>>>;
  readonly components: object;
}

let here: ServedProject;
let doc: Doc;
beforeAll(async () => {
  here = await serve(demoProject());
  doc = (await (await fetch(`${here.base}/openapi.json`)).json()) as Doc;
  const begun = await here.api.fillPlan({ plan: "triage", rows: 30 });
  await untilOver(here.api, begun.id);
  const reviewed = await here.api.fillPlan({ plan: "reviewed", rows: 30, ignoreGate: true });
  await untilOver(here.api, reviewed.id);
});
afterAll(async () => {
  await closeServed();
  removeTempFolders();
});

/** A schema of the document, made ready; what it names stands in the document. */
function validator(schema: object): ValidateFunction {
  const ajv = new Ajv2020({ strict: false, allErrors: true });
  addFormats.default(ajv);
  return ajv.compile({ ...schema, components: doc.components });
}

const operationOf = ({ path, method }: Route): Operation => doc.paths[path]![method.toLowerCase()]!;

function request({ path, method }: Route, { path: inPath = {}, query = {}, body }: Example): Promise<Response> {
  const filled = path.replaceAll(/\{(\w+)\}/g, (_, key: string) => encodeURIComponent(inPath[key]!));
  const asked = new URLSearchParams(query);
  const init = method === "GET" || method === "DELETE" ? { method } : { method, json: body ?? {} };
  return here.send(`${filled}${asked.size > 0 ? `?${asked}` : ""}`, init);
}

/** In this order, since some make what others need; those that need what none of them makes are told apart below. */
const LATER: readonly RouteName[] = ["sealSamples", "undoFill"];
const routes = (Object.keys(ROUTES) as RouteName[]).sort((a, b) => LATER.indexOf(a) - LATER.indexOf(b));
/** They need a session, a right value's mark, two people's labels, or a trial that is over; each has a test of its own. */
const ELSEWHERE = new Set<RouteName>([
  "saveProjectSource",
  "saveTemplateSource",
  "savePlanSource",
  "listTokens",
  "endToken",
  "settleSamples",
  "decide",
  "undoDecision",
  "drawCheck",
  "judgeChecked",
  "keepAsSamples",
  "readTrial",
  "tellChanges",
]);

describe("the document", () => {
  it("is OpenAPI 3.1, as an independent checker sees it", async () => {
    const result = await new Validator().validate(structuredClone(doc) as never);
    expect(result.errors ?? []).toEqual([]);
    expect(result.valid).toBe(true);
  });

  it("has every route, each with a name of its own, and an example of each that needs no more than the demo", () => {
    const names = Object.values(doc.paths).flatMap((methods) => Object.values(methods).map(({ operationId }) => operationId));
    expect(new Set(names).size).toBe(names.length);
    for (const name of routes) expect(names).toContain(name);
    const without = routes.filter((name) => !(name in EXAMPLES) && !ELSEWHERE.has(name));
    expect(without.filter((name) => operationOf(ROUTES[name]).requestBody || ROUTES[name].path.includes("{"))).toEqual([]);
  });

  it("says of nobody who does it, and of no file that a job would write anywhere", () => {
    const text = JSON.stringify(doc.paths);
    expect(text).not.toMatch(/"by":\{"type":"string","minLength"/);
    const trial = operationOf(ROUTES.trialTemplate).requestBody!.content["application/json"]!.schema as { properties: object };
    expect(Object.keys(trial.properties)).not.toContain("page");
  });
});

describe("every operation", () => {
  it.each(routes.filter((name) => !ELSEWHERE.has(name)))("%s answers its example as the document says", async (name) => {
    const route: Route = ROUTES[name];
    const operation = operationOf(route);
    const example = EXAMPLES[name] ?? {};
    const schema = operation.requestBody?.content["application/json"]?.schema;
    if (schema) {
      const fits = validator(schema);
      expect(fits(example.body ?? {}), JSON.stringify(fits.errors)).toBe(true);
    }
    const response = await request(route, example);
    const body: unknown = await response.json();
    expect(response.status, JSON.stringify(body)).toBe(route.goesOn ? 202 : 200);
    const fits = validator(operation.responses[String(response.status)]!.content!["application/json"]!.schema);
    expect(fits(body), JSON.stringify(fits.errors?.slice(0, 3))).toBe(true);
    if (route.goesOn) await untilOver(here.api, (body as { id: string }).id);
  });

  it.each(routes)("%s refuses what it does not know, with a problem", async (name) => {
    const route: Route = ROUTES[name];
    const inPath = Object.fromEntries([...route.path.matchAll(/\{(\w+)\}/g)].map(([, key]) => [key!, "nobody-9"]));
    const isQuery = route.method === "GET" || route.method === "DELETE";
    const response = await request(route, { path: inPath, ...(isQuery ? { query: { nonsense: "1" } } : { body: { nonsense: 1 } }) });
    const problem = (await response.json()) as { code: string; detail: string; status: number };
    expect(response.headers.get("content-type")).toContain("application/problem+json");
    expect(problem.status).toBe(response.status);
    expect(problem.code).toBe(route.right === "person" ? "rightMissing" : "badInput");
    if (route.right !== "person") expect(problem.detail).toContain("nonsense");
    const fits = validator({ $ref: "#/components/schemas/Problem" });
    expect(fits(problem), JSON.stringify(fits.errors)).toBe(true);
  });
});
