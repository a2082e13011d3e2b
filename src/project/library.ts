import { existsSync } from "node:fs";
import { mkdir, writeFile } from "node:fs/promises";
import path from "node:path";
import { YoroshiError, type Template } from "../core/index.js";
import { insideProject } from "./files.js";
import type { Project } from "./project-port.js";

/** A template as lists show it. */
export interface ListedTemplate {
  readonly name: string;
  readonly file: string;
  readonly title: string;
  readonly tags: readonly string[];
  /** Whether it has mistakes. */
  readonly broken: boolean;
}

/** The project's templates that have every word somewhere in name, title, tags or text, and the tag. */
export async function findTemplates(
  project: Project,
  { words = "", tag }: { readonly words?: string | undefined; readonly tag?: string | undefined },
): Promise<ListedTemplate[]> {
  const wanted = words
    .toLowerCase()
    .split(/\s+/)
    .filter((word) => word !== "");
  const all = await Promise.all(
    (await project.listTemplates()).map(async ({ name, file }) => {
      const loaded = await project.template(file).catch(() => undefined);
      const { title = "", tags = [] } = loaded?.template ?? {};
      const text = [name, title, ...tags, loaded?.text ?? ""].join("\n").toLowerCase();
      return { listed: { name, file, title, tags, broken: !loaded }, text };
    }),
  );
  return all
    .filter(
      ({ listed, text }) =>
        wanted.every((word) => text.includes(word)) &&
        (tag === undefined || listed.tags.some((own) => own.toLowerCase() === tag.toLowerCase())),
    )
    .map(({ listed }) => listed);
}

/** Copies a template under a new name. Returns the new file, relative to the project. */
export async function copyTemplate(project: Project, from: string, name: string): Promise<string> {
  const { text } = await project.template(from);
  return writeTemplate(project.root, name, text.replace(/^name: .*$/m, `name: ${name}`));
}

/** Writes a new template file. Throws `badOption` for a name that is not one, or is taken. */
export async function writeTemplate(root: string, name: string, text: string): Promise<string> {
  const file = newTemplateFile(root, name);
  const absolute = insideProject(root, file);
  await mkdir(path.dirname(absolute), { recursive: true });
  await writeFile(absolute, text, { flag: "wx" });
  return file;
}

/** The file for a new template's name. Throws `badOption` for a name that is not one, or is taken. */
export function newTemplateFile(root: string, name: string): string {
  if (!/^[a-z0-9][a-z0-9-]*$/.test(name))
    throw new YoroshiError("badOption", {
      option: name,
      problem: "a name is made of small letters, digits and hyphens (for example `hazard-triage`).",
    });
  const file = path.join("templates", `${name}.yaml`);
  if (existsSync(path.join(root, file)))
    throw new YoroshiError("badOption", { option: name, problem: `${file} exists. Choose another name.` });
  return file;
}

/**
 * Writes an earlier version of a template back into its file. Today's file is a version of its own first, so nothing
 * is lost.
 */
export async function restoreVersion(project: Project, name: string, version: number): Promise<string> {
  const loaded = await project.template(name);
  await project.version(loaded);
  const all = await project.ledger().versions.all(loaded.template.name);
  const found = all.find((candidate) => candidate.version === version);
  if (!found)
    throw new YoroshiError("notFound", {
      what: `version of ${loaded.template.name}`,
      name: String(version),
      known: all.map((candidate) => String(candidate.version)),
    });
  await writeFile(insideProject(project.root, loaded.file), found.text);
  return loaded.file;
}

/** The files that a template names. */
export function filesOf(template: Template): string[] {
  const references = Object.values(template.references ?? {}).flatMap((reference) => ("file" in reference ? [reference.file] : []));
  const examples = template.examples && "from" in template.examples ? [template.examples.from] : [];
  return [...references, ...(template.background ?? []), ...Object.values(template.passages ?? {}), ...examples];
}
