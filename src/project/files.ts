import { existsSync } from "node:fs";
import { readdir, readFile } from "node:fs/promises";
import path from "node:path";
import { nearest, YoroshiError } from "../core/index.js";

/** The nearest folder, from `from` upwards, that holds a file of this name. */
export function findUpwards(from: string, file: string): string | undefined {
  for (let folder = path.resolve(from); ; folder = path.dirname(folder)) {
    if (existsSync(path.join(folder, file))) return folder;
    if (folder === path.dirname(folder)) return undefined;
  }
}

/** A path inside the project, absolute. Throws `badOption` for one that leads out of it. */
export function insideProject(root: string, file: string): string {
  const absolute = path.resolve(root, file);
  const relative = path.relative(root, absolute);
  if (relative.startsWith("..") || path.isAbsolute(relative)) throw new YoroshiError("badOption", { option: file, problem: "this path leads out of the project's folder." });
  return absolute;
}

/** Reads a text file; `name` is what messages call it. */
export async function readText(file: string, name: string): Promise<string> {
  try {
    const bytes = await readFile(file);
    return new TextDecoder("utf-8", { fatal: true }).decode(bytes);
  } catch (error) {
    const code = (error as { code?: string }).code;
    const problem = code === "ENOENT" ? "there is no such file" : code === "EISDIR" ? "it is a folder" : code === "EACCES" ? "permission is denied" : error instanceof TypeError ? "it is not UTF-8 text" : (code ?? "it failed");
    throw new YoroshiError("fileUnreadable", { file: name, problem }, { cause: error });
  }
}

export interface NamedFile {
  readonly name: string;
  /** Relative to the project. */
  readonly file: string;
}

/** The YAML files of a folder of the project, by the name of the file. */
export async function listFiles(root: string, folder: string): Promise<NamedFile[]> {
  const entries = await readdir(path.join(root, folder), { withFileTypes: true }).catch(() => []);
  return entries
    .filter((entry) => entry.isFile() && /\.ya?ml$/.test(entry.name))
    .map((entry) => ({ name: entry.name.replace(/\.ya?ml$/, ""), file: path.posix.join(folder, entry.name) }))
    .sort((a, b) => a.name.localeCompare(b.name));
}

/** Finds a template or plan by its name or its path, as typed on the command line from `cwd`. */
export async function findFile(root: string, cwd: string, folder: string, what: string, nameOrPath: string): Promise<NamedFile> {
  const known = await listFiles(root, folder);
  const named = known.find((candidate) => candidate.name === nameOrPath);
  if (named) return named;
  if (/\.ya?ml$/.test(nameOrPath)) {
    for (const base of [cwd, root]) {
      const absolute = path.resolve(base, nameOrPath);
      if (existsSync(absolute)) return { name: path.basename(absolute).replace(/\.ya?ml$/, ""), file: path.relative(root, absolute) };
    }
  }
  const names = known.map((candidate) => candidate.name);
  throw new YoroshiError("notFound", { what, name: nameOrPath, known: names, near: nearest(nameOrPath, names) });
}
