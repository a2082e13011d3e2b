import { existsSync } from "node:fs";
import { mkdir, writeFile } from "node:fs/promises";
import path from "node:path";
import { YoroshiError, type Template } from "../core/index.js";
import { insideProject } from "../project/index.js";

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

/** The files that a template names. */
export function filesOf(template: Template): string[] {
  const references = Object.values(template.references ?? {}).flatMap((reference) => ("file" in reference ? [reference.file] : []));
  const examples = template.examples && "from" in template.examples ? [template.examples.from] : [];
  return [...references, ...(template.background ?? []), ...Object.values(template.passages ?? {}), ...examples];
}
