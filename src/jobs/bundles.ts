import { existsSync } from "node:fs";
import { mkdir, readFile, writeFile } from "node:fs/promises";
import path from "node:path";
import { packBundle, unpackBundle } from "../adapters/bundle/index.js";
import { readPlan, readTemplate, YoroshiError } from "../core/index.js";
import { insideProject } from "../project/index.js";
import { filesOf } from "./template-files.js";
import type { Project } from "../project/index.js";

/** What became of one file of a bundle on arrival. */
interface Arrival {
  readonly path: string;
  readonly state: "written" | "same" | "overwritten" | "conflict";
}

/**
 * Packs templates with all that they read, and samples, into one file to carry to another project.
 *
 * @returns the paths of the packed files.
 */
export async function packFiles(project: Project, names: readonly string[], target: string): Promise<string[]> {
  const chosen = names.length > 0 ? names : (await project.listTemplates()).map(({ name }) => name);
  const paths = new Set<string>();
  for (const name of chosen) {
    const { template, file } = await project.template(name);
    for (const needed of [file, ...filesOf(template)]) paths.add(needed.split(path.sep).join("/"));
    const samples = `samples/${template.name}.csv`;
    if (existsSync(path.join(project.root, samples))) paths.add(samples);
  }
  const files = await Promise.all([...paths].sort().map(async (one) => ({ path: one, bytes: await readBytes(project.root, one) })));
  if (existsSync(target)) throw new YoroshiError("badOption", { option: target, problem: "this file exists. Choose another name." });
  await writeFile(target, packBundle(files), { flag: "wx" });
  return files.map((one) => one.path);
}

/**
 * Unpacks a bundle into a project. Every file is checked first; where one would change a file that is there, nothing at
 * all is written, unless that file is named in `overwrite`.
 *
 * @returns what became of every file; of a bundle with conflicts, only those.
 * @throws YoroshiError `bundleBroken`, `filesInvalid`.
 */
export async function unpackFiles(project: Project, file: string, overwrite: readonly string[]): Promise<Arrival[]> {
  const name = path.basename(file);
  const files = unpackBundle(
    new Uint8Array(
      await readFile(file).catch(() => {
        throw new YoroshiError("fileUnreadable", { file, problem: "there is no such file" });
      }),
    ),
    name,
  );
  const stray = strayFile(files);
  if (stray !== undefined)
    throw new YoroshiError("bundleBroken", {
      file: name,
      problem: `it wants to write \`${stray}\`, which is neither a template, a plan or samples, nor a file in a folder that one of its templates reads`,
    });
  const complaints = files.flatMap(({ path: one, bytes }) => {
    if (!/\.ya?ml$/.test(one)) return [];
    const text = new TextDecoder().decode(bytes);
    return /^yoroshi:\s*plan\//m.test(text) ? readPlan(text, one).complaints : readTemplate(text, one).complaints;
  });
  if (complaints.length > 0) throw new YoroshiError("filesInvalid", { complaints });
  const arrivals = await Promise.all(
    files.map(async ({ path: one, bytes }): Promise<Arrival> => {
      const target = insideProject(project.root, one);
      if (!existsSync(target)) return { path: one, state: "written" };
      if (Buffer.compare(await readFile(target), bytes) === 0) return { path: one, state: "same" };
      return { path: one, state: overwrite.includes(one) ? "overwritten" : "conflict" };
    }),
  );
  if (arrivals.some(({ state }) => state === "conflict")) return arrivals.filter(({ state }) => state === "conflict");
  for (const [index, { state }] of arrivals.entries()) {
    if (state === "same") continue;
    const target = insideProject(project.root, files[index]!.path);
    await mkdir(path.dirname(target), { recursive: true });
    await writeFile(target, files[index]!.bytes);
  }
  return arrivals;
}

/** Kinds of files that templates read. */
const READ_BY_TEMPLATES = /\.(csv|tsv|jsonl|ndjson|xlsx|xlsm|ods|md|txt)$/i;

/** The first file of a bundle that no template of it needs and that has no place of its own. */
function strayFile(files: readonly { readonly path: string; readonly bytes: Uint8Array }[]): string | undefined {
  const needed = new Set(
    files.flatMap(({ path: one, bytes }) => {
      const template = /^templates\/.*\.ya?ml$/.test(one) ? readTemplate(new TextDecoder().decode(bytes), one).template : undefined;
      return template ? filesOf(template) : [];
    }),
  );
  return files.find(
    ({ path: one }) =>
      !/^(templates|plans)\/[^/]+\.ya?ml$/.test(one) &&
      !/^samples\/[^/]+\.csv$/.test(one) &&
      !(needed.has(one) && one.includes("/") && !one.startsWith("node_modules/") && READ_BY_TEMPLATES.test(one)),
  )?.path;
}

async function readBytes(root: string, file: string): Promise<Uint8Array> {
  return new Uint8Array(
    await readFile(insideProject(root, file)).catch(() => {
      throw new YoroshiError("fileUnreadable", { file, problem: "there is no such file" });
    }),
  );
}
