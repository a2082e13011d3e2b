import { watch } from "node:fs";
import { readFile, writeFile } from "node:fs/promises";
import path from "node:path";
import * as z from "zod";
import { isYoroshiError, templateTypes } from "../core/index.js";
import type { Project } from "../project/index.js";
import { aborted } from "./aborted.js";
import { defineJob, type JobContext } from "./job.js";

const DEFAULT_FILE = "yoroshi-templates.d.ts";
/** Editors write a file in several steps; one look after the last is enough. */
const SETTLE_MS = 100;

const input = z.strictObject({
  /** The file to write. Default: yoroshi-templates.d.ts. */
  file: z.string().optional(),
  /** Write again whenever a template or reference changes, until the signal. */
  watch: z.boolean().optional(),
});

const report = z.object({
  file: z.string(),
  templates: z.array(z.string()),
  /** Templates that were left out, since they have mistakes. */
  broken: z.array(z.string()),
  /** Whether the file stands otherwise than before. */
  changed: z.boolean(),
});

export type TypesReport = z.output<typeof report>;

const event = z.discriminatedUnion("type", [
  z.object({ type: z.literal("written"), report }),
  z.object({ type: z.literal("problem"), message: z.string() }),
]);

export type TypesEvent = z.output<typeof event>;

/** The TypeScript types of the project's templates in one file. */
export const writeTypes = defineJob<typeof input, typeof report, TypesEvent>({
  name: "writeTypes",
  summary: "Writes TypeScript types of the project's templates into a file, and again whenever one changes where that is asked for.",
  input,
  report,
  event,
  async run(project, { file = DEFAULT_FILE, watch: keeps = false }, context) {
    const target = path.resolve(project.root, file);
    const write = (): Promise<TypesReport> => writeOnce(project, target, context);
    return keeps ? whileChanging(project.root, context, write) : write();
  },
});

async function writeOnce(project: Project, target: string, { on }: JobContext<TypesEvent>): Promise<TypesReport> {
  const typed: Parameters<typeof templateTypes>[0][number][] = [];
  const broken: string[] = [];
  for (const { name } of await project.listTemplates()) {
    try {
      typed.push({ name, prepared: await project.prepare((await project.template(name)).template) });
    } catch (error) {
      if (!isYoroshiError(error)) throw error;
      broken.push(name);
    }
  }
  const source = templateTypes(typed);
  const changed = (await readFile(target, "utf8").catch(() => undefined)) !== source;
  if (changed) await writeFile(target, source);
  const written = { file: path.relative(project.root, target), templates: typed.map(({ name }) => name), broken, changed };
  on?.({ type: "written", report: written });
  return written;
}

/** Runs at once and again after each change below the project, until the signal. Gives what came of the last run. */
async function whileChanging<T>(root: string, { signal, stop, on }: JobContext<TypesEvent>, run: () => Promise<T>): Promise<T> {
  let timer: NodeJS.Timeout | undefined;
  // Watching begins first, so that no change is missed.
  const watcher = watch(root, { recursive: true }, (_event, file) => {
    if (file === null || !/\.(ya?ml|csv|md|txt)$/.test(file) || file.startsWith(".yoroshi")) return;
    clearTimeout(timer);
    timer = setTimeout(() => {
      const before = last;
      last = before.then(run).catch((error: unknown) => {
        on?.({ type: "problem", message: String((error as Error).message) });
        return before;
      });
    }, SETTLE_MS);
  });
  let last = run();
  try {
    await Promise.all([last, aborted(signal, stop)]);
  } finally {
    clearTimeout(timer);
    watcher.close();
  }
  return last;
}
