import * as z from "zod";
import { pathKeys, ROUTES, type Route, type RouteName } from "../api/index.js";
import { YoroshiError } from "../core/ground/index.js";
import * as jobs from "../jobs/index.js";

/** A job as the server sees it, whatever its types. */
export interface AnyJob {
  readonly name: string;
  readonly summary: string;
  readonly input: z.ZodObject;
  readonly report: z.ZodType;
  readonly event?: z.ZodType | undefined;
  run(project: unknown, input: unknown, context: unknown): Promise<unknown>;
}

type Schema = Readonly<Record<string, unknown>>;

/** A route with its job, and what a caller says of the job's input. */
export interface Operation {
  readonly name: RouteName;
  readonly route: Route;
  readonly job: AnyJob;
  /** Who does it is taken from the session or the token, not from what is said. */
  readonly takesPerson: boolean;
  /** Key -> its JSON Schema: in the path; in the query or the body. */
  readonly inPath: Readonly<Record<string, Schema>>;
  readonly said: Readonly<Record<string, Schema>>;
  readonly required: readonly string[];
}

const PERSON = "by";

/** A schema as JSON Schema 2020-12, which is OpenAPI 3.1's own. */
export function jsonSchema(schema: z.ZodType, io: "input" | "output"): Schema {
  const { $schema: _, $defs: __, ...rest } = z.toJSONSchema(schema, { io, unrepresentable: "any", reused: "inline" });
  return anyJson(rest) as Schema;
}

/** What names itself is any JSON value, and so is nothing that a schema could say more of. */
function anyJson(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(anyJson);
  if (typeof value !== "object" || value === null) return value;
  if ("$ref" in value) return {};
  return Object.fromEntries(Object.entries(value).map(([key, own]) => [key, anyJson(own)]));
}

/** Every route with its job. What it takes is worked out when it is first asked for: all of it at once takes a fifth of a second. */
export const OPERATIONS: readonly Operation[] = Object.entries(ROUTES).map(([name, given]): Operation => {
  const route: Route = given;
  // Names are checked below; what the jobs take is checked by their schemas.
  const job = (jobs as unknown as Record<string, AnyJob>)[route.job ?? name];
  if (!job?.run) throw new Error(`The route ${name} has no job.`);
  let taken: Pick<Operation, "inPath" | "said" | "required"> | undefined;
  const takes = (): NonNullable<typeof taken> => (taken ??= takenBy(route, job));
  return {
    name: name as RouteName,
    route,
    job,
    takesPerson: PERSON in job.input.shape,
    get inPath() {
      return takes().inPath;
    },
    get said() {
      return takes().said;
    },
    get required() {
      return takes().required;
    },
  };
});

function takenBy(route: Route, job: AnyJob): Pick<Operation, "inPath" | "said" | "required"> {
  const { properties = {}, required = [] } = jsonSchema(job.input, "input") as {
    properties?: Record<string, Schema>;
    required?: string[];
  };
  const keys = pathKeys(route.path);
  const hidden = new Set([...keys, ...Object.keys(route.fixed ?? {}), ...(route.without ?? []), PERSON]);
  const said = Object.fromEntries(Object.entries(properties).filter(([key]) => !hidden.has(key)));
  return {
    inPath: Object.fromEntries(keys.map((key) => [key, properties[key] ?? { type: "string" }])),
    said,
    required: required.filter((key) => key in said),
  };
}

/** Whether what a route takes besides its path stands in the query. */
export const takesQuery = ({ method }: Route): boolean => method === "GET" || method === "DELETE";

/** A text of a path or a query as its schema wants it; what does not fit stays text, for the job's schema to refuse. */
function fromText(text: string, { type }: Schema): unknown {
  if ((type === "integer" || type === "number") && /^-?\d+(\.\d+)?$/.test(text)) return Number(text);
  if (type === "boolean" && (text === "true" || text === "false")) return text === "true";
  return text;
}

/** A route's input, put together from where its parts stand. */
export function inputOf(
  operation: Operation,
  {
    path,
    query,
    body,
    person,
  }: {
    readonly path: Readonly<Record<string, string>>;
    readonly query: Readonly<Record<string, readonly string[]>>;
    readonly body: Readonly<Record<string, unknown>>;
    readonly person: string;
  },
): Record<string, unknown> {
  const { route, said, inPath, takesPerson, name } = operation;
  const given: Record<string, unknown> = takesQuery(route)
    ? Object.fromEntries(
        Object.entries(query).map(([key, texts]) => {
          const schema = said[key] ?? {};
          const item = (schema["items"] ?? {}) as Schema;
          return [key, schema["type"] === "array" ? texts.map((text) => fromText(text, item)) : fromText(texts.at(-1)!, schema)];
        }),
      )
    : { ...body };
  const unknown = Object.keys(given).find((key) => !(key in said));
  if (unknown !== undefined)
    throw new YoroshiError("badInput", {
      job: name,
      problems: [`there is no \`${unknown}\` here. Known: ${Object.keys(said).join(", ") || "nothing"}`],
    });
  const inPathValues = Object.fromEntries(Object.entries(inPath).map(([key, schema]) => [key, fromText(path[key] ?? "", schema)]));
  return { ...given, ...inPathValues, ...route.fixed, ...(takesPerson ? { [PERSON]: person } : {}) };
}
