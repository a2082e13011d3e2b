import { watch } from "node:fs";
import { readFile, writeFile } from "node:fs/promises";
import path from "node:path";
import { isYoroshiError, plural, templateTypes } from "../../core/index.js";
import type { Project } from "../../project/index.js";
import { good, note, out, outJson, quiet, warn } from "../print/print.js";
import { withProject, type CommonOptions } from "../with-project.js";

interface TypesOptions extends CommonOptions {
  readonly out?: string | undefined;
  readonly watch?: boolean | undefined;
}

const DEFAULT_FILE = "yoroshi-templates.d.ts";
/** Editors write a file in several steps; one look after the last is enough. */
const SETTLE_MS = 100;

/** `yoroshi types`: the TypeScript types of the project's templates in one file, kept up to date with --watch. */
export async function types(options: TypesOptions): Promise<number> {
  return withProject(options, async (project) => {
    const target = path.resolve(project.root, options.out ?? DEFAULT_FILE);
    await write(project, target, options);
    if (!options.watch) return 0;
    note(quiet("Watching templates and references; Ctrl-C ends it."));
    await watching(project.root, () => write(project, target, options));
    return 0;
  });
}

async function write(project: Project, target: string, options: TypesOptions): Promise<void> {
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
  const file = path.relative(project.root, target);
  if (options.json) outJson({ file, templates: typed.map(({ name }) => name), broken, changed });
  else {
    out(`${changed ? good("written") : quiet("unchanged")}  ${file}, ${plural(typed.length, "template")}`);
    for (const name of broken) out(`${warn("left out")}  ${name} has mistakes: \`yoroshi check ${name}\``);
  }
}

/** Runs again after each change below the project, until the process is told to end. */
async function watching(root: string, again: () => Promise<void>): Promise<void> {
  let timer: NodeJS.Timeout | undefined;
  let running = Promise.resolve();
  const watcher = watch(root, { recursive: true }, (_event, file) => {
    if (file === null || !/\.(ya?ml|csv|md|txt)$/.test(file) || file.startsWith(".yoroshi")) return;
    clearTimeout(timer);
    timer = setTimeout(() => {
      running = running.then(again).catch((error: unknown) => note(String((error as Error).message)));
    }, SETTLE_MS);
  });
  await new Promise<void>((resolve) => {
    process.once("SIGINT", resolve);
    process.once("SIGTERM", resolve);
  });
  clearTimeout(timer);
  watcher.close();
  await running;
}
