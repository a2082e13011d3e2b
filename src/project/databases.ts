import type { Database } from "../adapters/sql/index.js";
import { nearest, YoroshiError, type Clock } from "../core/index.js";
import type { Environment } from "./environment.js";
import { insideProject } from "./files.js";
import type { DatabaseEntry, ProjectFile } from "./project-file.js";

/** The databases of a project, opened as they are needed. */
export interface Databases {
  readonly names: readonly string[];
  /** @throws YoroshiError `notFound`, `secretMissing`, `databaseUnusable`. */
  open(name: string): Promise<Database>;
  /** The same with connections of its own, which whoever asks for it closes. */
  apart(name: string): Promise<Database>;
  /** Where it is. @throws YoroshiError `notFound`, `secretMissing`. */
  address(name: string): string;
  close(): Promise<void>;
}

export function projectDatabases(
  root: string,
  project: ProjectFile,
  clock: Clock,
  onNotice: (text: string) => void,
  environment: Environment,
): Databases {
  const opened = new Map<string, Promise<Database>>();
  const make = async (name: string, entry: DatabaseEntry): Promise<Database> => {
    // Loaded when first needed: most projects have no database.
    const { openDatabase } = await import("../adapters/sql/index.js");
    const place =
      entry.file === undefined ? { url: addressOf(name, entry, environment) } : { file: insideProject(root, entry.file, project.folders) };
    return openDatabase({ name, ...place, timeZone: project.timeZone, clock, onNotice });
  };
  const entryOf = (name: string): DatabaseEntry => {
    const names = Object.keys(project.databases);
    const entry = project.databases[name];
    if (!entry) throw new YoroshiError("notFound", { what: "database", name, known: names, near: nearest(name, names) });
    return entry;
  };
  return {
    names: Object.keys(project.databases),
    open: (name) => {
      const entry = entryOf(name);
      let database = opened.get(name);
      if (!database) opened.set(name, (database = make(name, entry)));
      return database;
    },
    apart: async (name) => make(name, entryOf(name)),
    address: (name) => addressOf(name, entryOf(name), environment),
    close: async () => {
      for (const database of opened.values()) await (await database.catch(() => undefined))?.close();
    },
  };
}

function addressOf(name: string, { url }: DatabaseEntry, environment: Environment): string {
  if (typeof url === "string") return url;
  const address = environment(url!.env);
  if (!address) throw new YoroshiError("secretMissing", { database: name, env: url!.env });
  return address;
}
