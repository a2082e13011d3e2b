import * as z from "zod";
import { checkFormat, checkShape, complain, jsonSchemaOf, readDocument, type Complaint, type Json } from "../core/index.js";

export const PROJECT_FORMAT = "project/1";
export const PROJECT_FILE = "yoroshi.yaml";

const limit = z.int().positive().optional();

/** What is wrong with a model's address, and what to type. */
function endpointFault(address: string): string | undefined {
  if (address === "standin") return undefined;
  if (!/^https?:\/\//.test(address))
    return `Expected an address that begins with http:// or https://, or \`standin\`.${/^[\w.-]+\.\w+(:\d+)?(\/|$)/.test(address) ? ` Write \`https://${address}\`.` : ""}`;
  if (!URL.canParse(address))
    return "This is no address. Write it as a host's documentation has it, up to and without `/chat/completions`.";
  const whole = /^(.*?)\/chat\/completions\/?$/.exec(address);
  return whole ? `Leave \`/chat/completions\` out, which is added to it: \`${whole[1]}\`.` : undefined;
}

const model = z.strictObject({
  /** An address up to and without `/chat/completions`, or `standin`. */
  endpoint: z.string().check(({ value, issues }) => {
    const problem = endpointFault(value);
    if (problem !== undefined) issues.push({ code: "custom", input: value, message: problem });
  }),
  id: z.string().min(1).optional(),
  /** The name of an environment variable, which may stand in `.env`; a file; or a command whose first line is the key. */
  key: z
    .union(
      [
        z.strictObject({ env: z.string().min(1) }),
        z.strictObject({ file: z.string().min(1) }),
        z.strictObject({ command: z.array(z.string()).min(1) }),
      ],
      "Expected `{ env: NAME }`, `{ file: PATH }`, or `{ command: [program, argument, …] }`.",
    )
    .optional(),
  price: z.strictObject({ input: z.number().min(0), output: z.number().min(0) }).optional(),
  limits: z
    .strictObject({
      requestsPerMinute: limit,
      tokensPerMinute: limit,
      atOnce: limit,
      /** A second request when a reply takes this many times the usual. */
      secondRequestAfter: z.number().min(1.5).optional(),
      /** How long a host that keeps failing is waited for before the run ends. */
      attempts: z.number().int().min(1).max(20).optional(),
      patienceSeconds: z.number().min(0).optional(),
    })
    .optional(),
  can: z.array(z.enum(["jsonSchema", "images", "logProbabilities"], "Expected jsonSchema, images or logProbabilities.")).optional(),
  /** What it counts for a picture, in tokens: for each, and for each tile of so many points; the longest side that it takes as it is. */
  pictures: z
    .strictObject({
      base: z.int().min(0),
      tile: z.int().positive(),
      perTile: z.int().min(0),
      longestSide: z.int().positive().optional(),
    })
    .optional(),
  /** Most tokens of prompt and answer together. */
  context: z.int().positive().optional(),
  timeoutSeconds: z.number().positive().optional(),
});

const database = z
  .strictObject({
    /** An address, `postgresql://…` or `mysql://…`; from the environment where it carries a password. */
    url: z
      .union([
        z.strictObject({ env: z.string().min(1) }),
        z
          .string()
          .refine(
            (address) => /^(postgres(ql)?|mysql|mariadb):\/\//.test(address) && URL.canParse(address),
            "Expected an address that begins with postgresql://, mysql:// or mariadb://.",
          ),
      ])
      .optional(),
    /** The path of an SQLite file. */
    file: z.string().min(1).optional(),
  })
  .refine((entry) => (entry.url === undefined) !== (entry.file === undefined), "Say either `url`, or the `file` of an SQLite database.");

const address = z.string().regex(/^https?:\/\//, "Expected an address that begins with http:// or https://.");

const projectFile = z.strictObject({
  yoroshi: z.literal(PROJECT_FORMAT),
  currency: z
    .string()
    .regex(/^[A-Z]{3}$/, "Expected a currency by its three capital letters (ISO 4217), for example USD.")
    .default("USD"),
  timeZone: z.string().default("UTC"),
  models: z.record(z.string(), model).default({}),
  limits: z
    .strictObject({
      /** Most that all runs of the project may spend in a calendar month. */ spendPerMonth: z.number().positive().optional(),
    })
    .default({}),
  databases: z.record(z.string(), database).default({}),
  /** Where answers, cells and runs are kept. Default: `.yoroshi/ledger.sqlite`. */
  ledger: z
    .strictObject({
      /** A PostgreSQL database by its name above; several machines can share it. */
      database: z.string().min(1),
      /** The schema that is the ledger's own; made where there is none. */
      schema: z
        .string()
        .regex(/^[a-z_][a-z0-9_]{0,39}$/, "Expected a name of small letters, digits and _, at most 40 of them.")
        .default("yoroshi"),
    })
    .optional(),
  /** How CSV files are written that Yoroshi makes; a result is written as its source. */
  csv: z
    .strictObject({
      separator: z.enum(["comma", "semicolon", "tab"], "Expected comma, semicolon or tab.").optional(),
      byteOrderMark: z.boolean().optional(),
    })
    .default({}),
  /** Which hosts may be told something by itself, and which of a private network may be read. */
  hosts: z
    .strictObject({
      /** Hosts of a private network whose pages and files may be read: `intranet.example`, with its port where it has one of its own. */
      allow: z
        .array(z.string().regex(/^[\w.-]+(:\d+)?$/, "Expected a host, for example intranet.example or intranet.example:8080."))
        .default([]),
      /** Where call-backs may go: `hooks.example`, with its port where that is not the scheme's own. */
      callBack: z
        .array(z.string().regex(/^[\w.-]+(:\d+)?$/, "Expected a host, for example hooks.example or hooks.example:8443."))
        .default([]),
      /** The secret by which call-backs are signed. */
      secret: z.strictObject({ env: z.string().min(1) }).optional(),
    })
    .default({ allow: [], callBack: [] }),
  /** How pages and files of the web are had. */
  web: z
    .strictObject({
      /** `standin`: its small web is asked instead of the network; an address of this machine: whatever is asked goes there (`yoroshi standin --web`). */
      use: z
        .string()
        .regex(
          /^(standin|http:\/\/(127\.0\.0\.1|localhost):\d+\/?)$/,
          "Expected standin, or where `yoroshi standin --web` listens, for example http://127.0.0.1:8080.",
        )
        .optional(),
      /** How long a host is left alone between two requests. */
      pauseSeconds: z.number().min(0).max(600).default(1),
    })
    .default({ pauseSeconds: 1 }),
  /** Engines that search, by name: by an OpenSearch description, or by an address that gives JSON. The first is the usual one. */
  search: z
    .record(
      z.string(),
      z.union(
        [
          z.strictObject({ describe: address }),
          z.strictObject({ folder: z.string().min(1) }),
          z.strictObject({
            address: address.refine((text) => text.includes("{searchTerms}"), "Expected an address with `{searchTerms}` in it."),
            results: z.string(),
            fields: z.strictObject({ address: z.string().min(1), title: z.string().optional(), summary: z.string().optional() }),
          }),
        ],
        "Expected `{ describe: <address of an OpenSearch description> }`, `{ folder: <folder of documents> }`, or `{ address: <with {searchTerms}>, results: <path>, fields: { address: <path> } }`.",
      ),
    )
    .default({}),
  /** Folders beside the project whose files may be read and written, too. */
  folders: z.array(z.string().min(1)).default([]),
});

/** The JSON Schema of yoroshi.yaml, for editors. */
export const projectFileSchema = (): Record<string, Json> => jsonSchemaOf(projectFile);

export type ModelEntry = z.infer<typeof model>;
export type DatabaseEntry = z.infer<typeof database>;
export type ProjectFile = z.infer<typeof projectFile>;

/** Reads `yoroshi.yaml`. Every mistake is reported with its place; a key written into the file is one of them. */
export function readProjectFile(text: string, file: string): { project?: ProjectFile; complaints: readonly Complaint[] } {
  const { document, complaints } = readDocument(text, file);
  if (!document) return { complaints };
  const format = checkFormat(document, PROJECT_FORMAT);
  if (format) return { complaints: [format] };
  const models = (document.value as { models?: unknown }).models;
  const secrets = Object.entries((models ?? {}) as Record<string, { key?: unknown } | null>)
    .filter(([, entry]) => typeof entry?.key === "string")
    .map(([name]) => complain("secretInFile", document.at(["models", name, "key"]), undefined as never));
  const databases = (document.value as { databases?: unknown }).databases;
  for (const [name, entry] of Object.entries((databases ?? {}) as Record<string, { url?: unknown } | null>)) {
    if (typeof entry?.url === "string" && URL.canParse(entry.url) && new URL(entry.url).password !== "")
      secrets.push(complain("passwordInFile", document.at(["databases", name, "url"]), undefined as never));
  }
  const shape = checkShape(projectFile, document.value, document);
  const others = secrets.length > 0 ? shape.complaints.filter((complaint) => complaint.code !== "wrongType") : shape.complaints;
  if (!shape.value || secrets.length > 0) return { complaints: [...secrets, ...others] };
  if (!isTimeZone(shape.value.timeZone)) {
    return {
      complaints: [
        complain("badValue", document.at(["timeZone"]), {
          problem: `There is no time zone \`${shape.value.timeZone}\`. Use an IANA name such as Pacific/Auckland.`,
        }),
      ],
    };
  }
  return { project: shape.value, complaints: [] };
}

function isTimeZone(name: string): boolean {
  try {
    Intl.DateTimeFormat("en", { timeZone: name });
    return true;
  } catch {
    return false;
  }
}
