import { readFile, writeFile } from "node:fs/promises";
import path from "node:path";
import * as z from "zod";
import { probeHost, type HostAbilities } from "../adapters/chat-completions/index.js";
import { ModelFailure, nearest, YoroshiError } from "../core/index.js";
import {
  confirmCommand,
  PROJECT_FILE,
  projectKeys,
  readEnvironment,
  readProjectFile,
  type ModelEntry,
  type Project,
} from "../project/index.js";
import { withEntry } from "./edit-yaml.js";
import { defineJob } from "./job.js";
import { modelError } from "./known-error.js";
import { count } from "./schemas.js";

const abilities = {
  jsonSchema: z.boolean(),
  logProbabilities: z.boolean(),
  images: z.boolean(),
  /** The host counts the tokens that it charges. */
  usage: z.boolean(),
  requestsPerMinute: count.optional(),
  tokensPerMinute: count.optional(),
  /** The name by which the host says that it answered, where it is another. */
  answeredAs: z.string().optional(),
  tookMs: z.number(),
} as const;

const key = z.union([
  z.strictObject({ env: z.string().min(1) }),
  z.strictObject({ file: z.string().min(1) }),
  z.strictObject({ command: z.array(z.string()).min(1) }),
]);

const PROBE_MS = 30_000;

/** A model of a host, written into yoroshi.yaml with what the host was found to do. */
export const addModel = defineJob({
  name: "addModel",
  summary: "Finds out by short requests what a host and its model can do, and writes the entry into yoroshi.yaml. Never a key.",
  input: z.strictObject({
    name: z.string().regex(/^[A-Za-z][\w-]*$/, "A model's name is one word (for example `quick`)."),
    endpoint: z.string(),
    id: z.string(),
    key: key.optional(),
    /** Per million tokens, in the project's currency. */
    price: z.strictObject({ input: z.number().min(0), output: z.number().min(0) }).optional(),
    /** A command that gives the key may be run by this project on this machine. */
    confirm: z.boolean().optional(),
  }),
  report: z.object({
    name: z.string(),
    file: z.string(),
    /** Where the key is looked for, when it is not there yet; nothing was asked then. */
    keyMissing: z.string().optional(),
    abilities: z.object(abilities).optional(),
  }),
  async run(project, { name, confirm = false, ...wanted }) {
    const text = await readFile(path.join(project.root, PROJECT_FILE), "utf8");
    const endpoint = wanted.endpoint
      .trim()
      .replace(/\/+$/, "")
      .replace(/\/chat\/completions$/, "");
    const entry: ModelEntry = {
      endpoint,
      id: wanted.id,
      ...(wanted.key ? { key: wanted.key } : {}),
      ...(wanted.price ? { price: wanted.price } : {}),
    };
    // What cannot be an entry is told before anything is asked of a host.
    checkEntry(withEntry(text, "models", name, entry, PROJECT_FILE));
    if (entry.key && "command" in entry.key && confirm) confirmCommand(project.root, entry.key.command);
    const missing = missingKey(project, entry);
    const found = missing === undefined ? await askHost(project, name, entry) : undefined;
    const whole: ModelEntry = { ...entry, ...(found ? { can: canOf(found), ...limitsOf(found) } : {}) };
    const next = withEntry(text, "models", name, whole, PROJECT_FILE);
    checkEntry(next);
    await writeFile(path.join(project.root, PROJECT_FILE), next);
    return {
      name,
      file: PROJECT_FILE,
      ...(missing === undefined ? {} : { keyMissing: missing }),
      ...(found ? { abilities: plainAbilities(found) } : {}),
    };
  },
});

/** What the hosts of the project's models can do, held against what yoroshi.yaml says of them. */
export const checkModels = defineJob({
  name: "checkModels",
  summary: "Asks each model's host by short requests what it can do, and holds that against yoroshi.yaml.",
  input: z.strictObject({
    /** Default: every model. */
    name: z.string().optional(),
    /** A command that gives the key may be run by this project on this machine. */
    confirm: z.boolean().optional(),
  }),
  report: z.object({
    models: z.array(
      z.object({
        name: z.string(),
        endpoint: z.string(),
        abilities: z.object(abilities).optional(),
        /** Why it cannot be used. */
        problem: z.string().optional(),
        /** Where yoroshi.yaml says otherwise. */
        differs: z.array(z.string()),
      }),
    ),
  }),
  async run(project, { name, confirm = false }) {
    const { models } = project.settings;
    const names = Object.keys(models);
    if (name !== undefined && !names.includes(name))
      throw new YoroshiError("notFound", { what: "model", name, near: nearest(name, names), known: names });
    const report: { name: string; endpoint: string; abilities?: Plain; problem?: string; differs: string[] }[] = [];
    for (const one of name === undefined ? names : [name]) {
      const entry = models[one]!;
      const { endpoint } = entry;
      if (endpoint === "standin") {
        report.push({ name: one, endpoint, differs: [] });
        continue;
      }
      if (confirm && entry.key && "command" in entry.key) confirmCommand(project.root, entry.key.command);
      try {
        const found = await askHost(project, one, entry);
        report.push({ name: one, endpoint, abilities: plainAbilities(found), differs: differences(entry, found) });
      } catch (error) {
        if (!(error instanceof YoroshiError)) throw error;
        report.push({ name: one, endpoint, problem: error.message, differs: [] });
      }
    }
    return { models: report };
  },
});

type Plain = z.input<z.ZodObject<typeof abilities>>;

function checkEntry(text: string): void {
  const { project, complaints } = readProjectFile(text, PROJECT_FILE);
  if (!project) throw new YoroshiError("filesInvalid", { complaints });
}

/** The variable, or the file, in which a key is looked for that is not there. */
function missingKey(project: Project, { key: from }: ModelEntry): string | undefined {
  return from && "env" in from && !readEnvironment(project.root)(from.env) ? from.env : undefined;
}

async function askHost(project: Project, name: string, entry: ModelEntry): Promise<HostAbilities> {
  const { viaUndici } = await import("../adapters/chat-completions/send-undici.js");
  const secret = await projectKeys(project.root, readEnvironment(project.root)).of(name, entry);
  try {
    return await probeHost({
      endpoint: entry.endpoint,
      id: entry.id ?? name,
      key: secret,
      send: viaUndici(),
      clock: project.clock,
      signal: AbortSignal.timeout(PROBE_MS),
    });
  } catch (error) {
    if (error instanceof ModelFailure) throw modelError(error, entry.endpoint);
    throw new YoroshiError(
      "modelUnavailable",
      {
        host: entry.endpoint,
        problem:
          (error as Error).name === "TimeoutError"
            ? "it did not answer in 30 seconds"
            : ((error as { code?: string }).code ?? (error as Error).message),
        attempts: 1,
      },
      { cause: error },
    );
  }
}

const canOf = ({ jsonSchema, images, logProbabilities }: HostAbilities): NonNullable<ModelEntry["can"]> => [
  ...(jsonSchema ? ["jsonSchema" as const] : []),
  ...(images ? ["images" as const] : []),
  ...(logProbabilities ? ["logProbabilities" as const] : []),
];

function limitsOf({ requestsPerMinute, tokensPerMinute }: HostAbilities): Pick<ModelEntry, "limits"> {
  if (requestsPerMinute === undefined && tokensPerMinute === undefined) return {};
  return {
    limits: {
      ...(requestsPerMinute === undefined ? {} : { requestsPerMinute }),
      ...(tokensPerMinute === undefined ? {} : { tokensPerMinute }),
    },
  };
}

const plainAbilities = (found: HostAbilities): Plain => ({ ...found }) as Plain;

function differences({ can, limits }: ModelEntry, found: HostAbilities): string[] {
  const told: string[] = [];
  for (const ability of ["jsonSchema", "images", "logProbabilities"] as const) {
    // Left out, a JSON Schema is tried and the rest is not known.
    const said = can ? can.includes(ability) : ability === "jsonSchema";
    if (said && !found[ability]) told.push(`\`can\` says ${ability}, and the host did not do it`);
    if (!said && found[ability] && can) told.push(`the host can do ${ability}, which \`can\` leaves out`);
  }
  for (const limit of ["requestsPerMinute", "tokensPerMinute"] as const)
    if (found[limit] !== undefined && (limits?.[limit] ?? 0) > found[limit])
      told.push(`\`${limit}: ${limits![limit]}\` is above the ${found[limit]} that the host allows`);
  return told;
}
