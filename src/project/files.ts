import { existsSync, readlinkSync, realpathSync } from "node:fs";
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

/**
 * A path inside the project, absolute; symbolic links on the way to it are followed.
 *
 * @param folders beside the project that may be used, too; relative to it.
 * @throws YoroshiError `badOption` for one that leads elsewhere.
 */
export function insideProject(root: string, file: string, folders: readonly string[] = []): string {
  const absolute = path.resolve(root, file);
  const homes = [root, ...folders.map((folder) => path.resolve(root, folder))];
  if (!homes.some((home) => isWithin(home, absolute)))
    throw new YoroshiError("badOption", {
      option: file,
      problem: "this path leads out of the project's folder. Name its folder in yoroshi.yaml, if it may be used: `folders: [../scans]`.",
    });
  const real = realPath(absolute);
  if (!homes.some((home) => isWithin(realPath(home), real)))
    throw new YoroshiError("badOption", {
      option: file,
      problem:
        "a symbolic link leads out of the project's folder. Name the folder that it leads to in yoroshi.yaml, if it may be used: `folders: [../scans]`.",
    });
  return absolute;
}

function isWithin(home: string, file: string): boolean {
  const relative = path.relative(home, file);
  return relative !== ".." && !relative.startsWith(`..${path.sep}`) && !path.isAbsolute(relative);
}

/** Where a path leads once its links are followed; of what is not there yet, where its folder does. */
function realPath(file: string): string {
  try {
    return realpathSync.native(file);
  } catch {
    // A link that leads to nothing is a link all the same.
    const link = linkOf(file);
    if (link !== undefined) return realPath(path.resolve(path.dirname(file), link));
    const folder = path.dirname(file);
    return folder === file ? file : path.join(realPath(folder), path.basename(file));
  }
}

function linkOf(file: string): string | undefined {
  try {
    return readlinkSync(file);
  } catch {
    return undefined;
  }
}

/** Reads a text file; `name` is what messages call it. */
export async function readText(file: string, name: string): Promise<string> {
  try {
    const bytes = await readFile(file);
    return new TextDecoder("utf-8", { fatal: true }).decode(bytes);
  } catch (error) {
    const code = (error as { code?: string }).code;
    const problem =
      code === "ENOENT"
        ? "there is no such file"
        : code === "EISDIR"
          ? "it is a folder"
          : code === "EACCES"
            ? "permission is denied"
            : error instanceof TypeError
              ? "it is not UTF-8 text"
              : (code ?? "it failed");
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

/** Where files are looked for. */
export interface FilesPlace {
  readonly root: string;
  readonly cwd: string;
  /** Only inside the project. */
  readonly confined: boolean;
}

/** Finds a template or plan by its name or its path, as typed on the command line from `cwd`. */
export async function findFile({ root, cwd, confined }: FilesPlace, folder: string, what: string, nameOrPath: string): Promise<NamedFile> {
  const known = await listFiles(root, folder);
  const named = known.find((candidate) => candidate.name === nameOrPath);
  if (named) return named;
  if (/\.ya?ml$/.test(nameOrPath)) {
    for (const base of confined ? [root] : [cwd, root]) {
      const absolute = confined ? insideProject(base, nameOrPath) : path.resolve(base, nameOrPath);
      if (existsSync(absolute)) return { name: path.basename(absolute).replace(/\.ya?ml$/, ""), file: path.relative(root, absolute) };
    }
  }
  const names = known.map((candidate) => candidate.name);
  throw new YoroshiError("notFound", { what, name: nameOrPath, known: names, near: nearest(nameOrPath, names) });
}
