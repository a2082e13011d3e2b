import { existsSync } from "node:fs";
import { mkdir, readdir, readFile, writeFile } from "node:fs/promises";
import path from "node:path";
import { nearest, readTemplate, YoroshiError } from "../core/index.js";
import { insideProject } from "../project/index.js";
import { packageFolder } from "../files/index.js";
import { filesOf, newTemplateFile } from "./template-files.js";

/** A template to begin with. */
interface Starter {
  readonly name: string;
  readonly title: string;
  readonly tags: string[];
}

/** The templates that ship with the package, by name. */
export async function listStarterFiles(): Promise<Starter[]> {
  const folder = packageFolder("starters");
  const files = (await readdir(folder)).filter((file) => file.endsWith(".yaml")).sort();
  return Promise.all(
    files.map(async (file) => {
      const { template } = readTemplate(await readFile(path.join(folder, file), "utf8"), file);
      return { name: file.replace(/\.yaml$/, ""), title: template?.title ?? "", tags: [...(template?.tags ?? [])] };
    }),
  );
}

/**
 * Writes a new template, and the references it reads, into a project. Nothing that exists is overwritten.
 *
 * @returns the files written, relative to the project.
 */
export async function writeStarterFiles(root: string, starter: string, name: string): Promise<string[]> {
  const known = (await listStarterFiles()).map((one) => one.name);
  if (!known.includes(starter))
    throw new YoroshiError("notFound", { what: "starter", name: starter, known, near: nearest(starter, known) });
  const file = newTemplateFile(root, name);
  const source = packageFolder("starters");
  const text = (await readFile(path.join(source, `${starter}.yaml`), "utf8")).replace(/^name: .*$/m, `name: ${name}`);
  const { template } = readTemplate(text, file);
  const references = template ? filesOf(template) : [];
  const written = [file];
  await put(root, file, text);
  for (const reference of references) {
    if (existsSync(insideProject(root, reference))) continue;
    await put(root, reference, await readFile(path.join(source, reference), "utf8"));
    written.push(reference);
  }
  return written;
}

async function put(root: string, file: string, text: string): Promise<void> {
  const absolute = insideProject(root, file);
  await mkdir(path.dirname(absolute), { recursive: true });
  await writeFile(absolute, text, { flag: "wx" });
}
