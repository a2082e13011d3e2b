import type { Context } from "hono";
import { ERRORS, isYoroshiError, type Complaint } from "../core/ground/index.js";
import { knownError } from "../jobs/index.js";
import { problemPage } from "./pages/problem.js";

/** An error as RFC 9457 tells it, with the project's code. */
export interface Problem {
  readonly type: string;
  readonly title: string;
  readonly status: number;
  readonly detail: string;
  readonly code: string;
  /** Mistakes in a file, with their places. */
  readonly complaints?: readonly Complaint[];
  /** Of a conflict: what stands now, and what was to be saved. */
  readonly theirs?: string;
  readonly yours?: string;
}

/** Any error as a problem. */
export function problemOf(error: unknown): Problem {
  const { code, message } = knownError(error);
  const status = ERRORS[code as keyof typeof ERRORS]?.http ?? (code === "spendCap" ? 402 : 500);
  return {
    type: `urn:yoroshi:error:${code}`,
    title: code,
    status,
    detail: message,
    code,
    ...(isYoroshiError(error) && error.code === "filesInvalid" ? { complaints: error.details.complaints } : {}),
    ...(isYoroshiError(error) && error.code === "fileChanged" ? { theirs: error.details.theirs, yours: error.details.yours } : {}),
  };
}

const STATUS_HEADERS: Readonly<Record<number, Record<string, string>>> = { 401: { "www-authenticate": "Bearer" } };

/** The answer to a request that failed. */
export function problemResponse(c: Context, error: unknown, headers: Record<string, string> = {}): Response | Promise<Response> {
  const problem = problemOf(error);
  // A person who opened an address is told on a page.
  if (c.req.header("sec-fetch-mode") === "navigate") return c.html(problemPage(problem.detail, problem.code), problem.status as 400);
  const wait = isYoroshiError(error) && error.code === "tooMany" ? { "retry-after": String(error.details.seconds) } : {};
  return c.body(JSON.stringify(problem), problem.status as 400, {
    "content-type": "application/problem+json",
    ...STATUS_HEADERS[problem.status],
    ...wait,
    ...headers,
  });
}
