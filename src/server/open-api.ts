import type * as z from "zod";
import { EXAMPLES } from "../api/index.js";
import { answerRows, downloadWish, laterShape, RIGHTS, VERSION } from "../jobs/index.js";
import { answersBody } from "./answers-body.js";
import { liveShapes } from "./live.js";
import { jsonSchema, OPERATIONS, takesQuery, type Operation } from "./operations.js";
import { underWayShape } from "./under-way.js";

type Doc = Record<string, unknown>;

let made: Doc | undefined;

/** The API as an OpenAPI 3.1 document, made from the jobs' schemas. */
export const openApi = (): Doc => (made ??= makeDocument());

const ABOUT = `Everything that the command line does, over HTTP: the same words, the same reports, the same codes of errors.

A person opens the link that \`yoroshi serve\` prints; a program sends a token (\`yoroshi serve token\`) as \`Authorization: Bearer …\`.
Rights: ${RIGHTS.map((right) => `\`${right}\``).join(", ")}, each with those before it; \`person\` is for a person's session alone.
Errors are problem details (RFC 9457) with \`code\`, one of those in the guide's list.`;

function makeDocument(): Doc {
  const paths: Record<string, Doc> = {};
  const add = (path: string, method: string, operation: Doc): void => {
    (paths[path] ??= {})[method.toLowerCase()] = operation;
  };
  for (const one of OPERATIONS) add(one.route.path, one.route.method, jobOperation(one));
  for (const [path, methods] of Object.entries(OTHERS())) for (const [method, one] of Object.entries(methods)) add(path, method, one);
  return {
    openapi: "3.1.0",
    info: { title: "Yoroshi", version: VERSION, description: ABOUT, license: { name: "MIT", identifier: "MIT" } },
    servers: [{ url: "/" }],
    security: [{ token: [] }, { session: [] }],
    tags: [...new Set([...OPERATIONS.map(({ route }) => route.tag), "answers", "events", "server"])].map((name) => ({ name })),
    paths,
    components: {
      securitySchemes: {
        token: { type: "http", scheme: "bearer" },
        session: {
          type: "apiKey",
          in: "cookie",
          name: "yoroshi_<port>",
          description: "Kept by the browser once a person has opened the link.",
        },
      },
      schemas: { Problem: PROBLEM, UnderWay: jsonSchema(underWayShape, "output") },
      responses: { Problem: { description: "It failed.", content: { "application/problem+json": { schema: ref("schemas/Problem") } } } },
    },
  };
}

const ref = (path: string): Doc => ({ $ref: `#/components/${path}` });

const PROBLEM: Doc = {
  type: "object",
  properties: {
    type: { type: "string" },
    title: { type: "string" },
    status: { type: "integer" },
    detail: { type: "string", description: "What is wrong, where, and what to do." },
    code: { type: "string" },
    complaints: { type: "array", items: { type: "object" }, description: "Mistakes in a file, with their places." },
    theirs: { type: "string", description: "Of a conflict: what stands now." },
    yours: { type: "string", description: "Of a conflict: what was to be saved." },
  },
  required: ["type", "title", "status", "detail", "code"],
};

const json = (schema: unknown, example?: unknown): Doc => ({
  "application/json": { schema, ...(example === undefined ? {} : { example }) },
});
const failed = { default: ref("responses/Problem") };

function jobOperation({ name, route, job, inPath, said, required }: Operation): Doc {
  const example = EXAMPLES[name];
  const isQuery = takesQuery(route);
  const parameters = [
    ...Object.entries(inPath).map(([key, schema]) => ({
      name: key,
      in: "path",
      required: true,
      schema,
      ...exampleOf(example?.path?.[key]),
    })),
    ...(isQuery
      ? Object.entries(said).map(([key, schema]) => ({
          name: key,
          in: "query",
          required: required.includes(key),
          schema,
          ...exampleOf(example?.query?.[key]),
        }))
      : []),
  ];
  const body = { type: "object", properties: said, required, additionalProperties: false };
  const done = route.goesOn
    ? { 202: { description: "It goes on; look at Location.", headers: LOCATION, content: json(ref("schemas/UnderWay")) } }
    : { 200: { description: "Done.", content: json(jsonSchema(job.report, "output")) } };
  return {
    operationId: name,
    tags: [route.tag],
    summary: job.summary,
    description: `Needs the right \`${route.right}\`.`,
    parameters,
    ...(isQuery ? {} : { requestBody: { required: required.length > 0, content: json(body, example?.body ?? {}) } }),
    responses: { ...done, ...failed },
  };
}

const exampleOf = (value: unknown): Doc => (value === undefined ? {} : { example: value });
const LOCATION = { Location: { schema: { type: "string" }, description: "Where to look." } };
const param = (name: string, place: "path" | "query" | "header", about: Doc = {}): Doc => ({
  name,
  in: place,
  required: place === "path",
  schema: { type: "string" },
  ...about,
});

const bytes = (description: string): Doc => ({
  200: { description, content: { "application/octet-stream": { schema: { type: "string", format: "binary" } } } },
  ...failed,
});

const report = { type: "string", const: "Line parted at the aft bitts, nobody hurt." };

/** What is no job of its own. */
const OTHERS = (): Record<string, Record<string, Doc>> => ({
  "/templates/{template}/answers": {
    post: {
      operationId: "postAnswers",
      tags: ["answers"],
      summary: "Answers one or many rows by a template: at once, or later with a place to look and a call-back.",
      description:
        "Needs the right `answer`. Each answer has its state. An Idempotency-Key makes that a request sent twice is done once. Call-backs are signed after the Standard Webhooks rules.",
      parameters: [param("template", "path", { example: "hazard-triage" }), param("Idempotency-Key", "header")],
      requestBody: {
        required: true,
        content: json(jsonSchema(answersBody, "input"), { inputs: { report: report.const } }),
      },
      responses: {
        200: { description: "The answers.", content: json(jsonSchema(answerRows.report, "output")) },
        202: { description: "They come later; look at Location.", headers: LOCATION, content: json(jsonSchema(laterShape, "output")) },
        ...failed,
      },
    },
    get: {
      operationId: "getAnswer",
      tags: ["answers"],
      summary: "One answer for what can fetch an address only: a spreadsheet.",
      description:
        "Every input is a parameter of the query. `token` is one that was made for this template alone; `as` gives one part as plain text.",
      parameters: [
        param("template", "path", { example: "hazard-triage" }),
        param("as", "query", { example: "hazard" }),
        param("token", "query"),
        {
          name: "inputs",
          in: "query",
          required: false,
          style: "form",
          explode: true,
          schema: { type: "object", additionalProperties: { type: "string" } },
          example: { report: report.const },
        },
      ],
      responses: {
        200: {
          description: "The answer, or one part of it.",
          content: { ...json({ type: "object" }), "text/plain": { schema: { type: "string" } } },
        },
        ...failed,
      },
    },
  },
  "/answers/{id}": {
    get: {
      operationId: "getLaterAnswers",
      tags: ["answers"],
      summary: "What has become of answers that were asked for later.",
      parameters: [param("id", "path")],
      responses: { 200: { description: "How they stand.", content: json(jsonSchema(laterShape, "output")) }, ...failed },
    },
  },
  "/under-way": {
    get: {
      operationId: "listUnderWay",
      tags: ["fills"],
      summary: "Fills and trials that this server was asked for, the newest first.",
      responses: {
        200: {
          description: "All of them.",
          content: json({
            type: "object",
            properties: { underWay: { type: "array", items: ref("schemas/UnderWay") } },
            required: ["underWay"],
          }),
        },
        ...failed,
      },
    },
  },
  "/under-way/{id}": { get: underWay("getUnderWay", "How a fill or a trial stands.") },
  "/under-way/{id}/pause": { post: underWay("pauseUnderWay", "Finishes what is in flight, writes what there is, and waits.") },
  "/under-way/{id}/go-on": { post: underWay("goOnUnderWay", "Goes on with what was paused; nothing is asked twice.") },
  "/under-way/{id}/stop": {
    post: underWay("stopUnderWay", "Ends it; what is in flight is finished. Once more: what is in flight is dropped."),
  },
  "/plans/{plan}/table/file": {
    get: {
      operationId: "downloadTable",
      tags: ["tables"],
      summary: "Takes a plan's table away: its result file as it stands, or its rows as CSV or a new workbook.",
      parameters: [param("plan", "path", { example: "triage" }), ...queryOf(downloadWish)],
      responses: bytes("The file."),
    },
  },
  "/tables/{name}": {
    put: {
      operationId: "uploadTable",
      tags: ["tables"],
      summary: "Takes a table's file into the project, once it can be read as a table.",
      description: "Needs the right `work`. A file that is there already is replaced only where `replace` says so.",
      parameters: [param("name", "path", { example: "monday.csv" }), param("replace", "query", { schema: { type: "boolean" } })],
      requestBody: {
        required: true,
        content: { "application/octet-stream": { schema: { type: "string", format: "binary" } } },
      },
      responses: {
        201: {
          description: "It is there; what it looks like.",
          content: json({ type: "object", properties: { file: { type: "string" }, look: { type: "object" } }, required: ["file", "look"] }),
        },
        ...failed,
      },
    },
  },
  "/ledger/{what}": {
    get: {
      operationId: "downloadLedger",
      tags: ["runs"],
      summary: "Takes all answers, cells, decisions, states of rules or messages away, as JSON Lines or CSV.",
      parameters: [
        param("what", "path", { schema: { enum: ["answers", "cells", "decisions", "rules", "messages"] }, example: "answers" }),
        param("as", "query", { schema: { enum: ["jsonl", "csv"] } }),
        param("names", "query", { schema: { type: "boolean" } }),
      ],
      responses: bytes("The file."),
    },
  },
  "/events": {
    get: {
      operationId: "listen",
      tags: ["events"],
      summary: "What changes, as server-sent events, at most ten times a second.",
      description: `Needs the right \`read\`. Kinds of events and their data:\n\n${Object.entries(liveShapes)
        .map(([name, shape]) => `\`${name}\`: \`${JSON.stringify(Object.keys(shape.shape))}\``)
        .join(
          "\n\n",
        )}\n\nWith Last-Event-ID what came since is told; where that is not known any more, \`again\` says that all is to be read again.`,
      parameters: [param("Last-Event-ID", "header")],
      responses: { 200: { description: "Events.", content: { "text/event-stream": { schema: { type: "string" } } } }, ...failed },
    },
  },
  "/health": {
    get: {
      operationId: "health",
      tags: ["server"],
      summary: "Whether the server works, and how far watched plans are behind. Needs no token.",
      security: [],
      responses: {
        200: {
          description: "It does.",
          content: json({
            type: "object",
            properties: {
              yoroshi: { type: "string" },
              works: { type: "boolean" },
              watched: { type: "integer", description: "Plans that somebody watches." },
              resting: { type: "integer", description: "Of these, those that rest after a failure or at a limit." },
              lagMs: { type: "number", description: "Age of the oldest change that no round has taken up." },
            },
            required: ["yoroshi", "works", "watched", "resting", "lagMs"],
          }),
        },
        ...failed,
      },
    },
  },
  "/metrics": {
    get: {
      operationId: "metrics",
      tags: ["server"],
      summary: "The figures of watched plans, in the OpenMetrics text format.",
      description: "Needs the right `read`.",
      responses: {
        200: { description: "Metrics.", content: { "application/openmetrics-text": { schema: { type: "string" } } } },
        ...failed,
      },
    },
  },
});

function underWay(operationId: string, summary: string): Doc {
  return {
    operationId,
    tags: ["fills"],
    summary,
    parameters: [param("id", "path")],
    responses: { 200: { description: "How it stands.", content: json(ref("schemas/UnderWay")) }, ...failed },
  };
}

function queryOf(schema: z.ZodObject): Doc[] {
  const { properties = {} } = jsonSchema(schema, "input") as { properties?: Record<string, Doc> };
  return Object.entries(properties).map(([name, own]) => param(name, "query", { schema: own }));
}
