import { existsSync, readFileSync } from "node:fs";
import path from "node:path";
import { parse } from "dotenv";

/** What the names of secrets stand for: the environment's value, else the one in the project's `.env`. */
export type Environment = (name: string) => string | undefined;

export const ENV_FILE = ".env";

/**
 * The environment with the project's `.env` behind it. The file is read into a map of its own: other programs that this one starts, and
 * packages that look at the environment, see nothing of it.
 */
export function readEnvironment(root: string): Environment {
  let kept: Readonly<Record<string, string>> | undefined;
  return (name) => {
    const set = process.env[name];
    if (set) return set;
    const file = path.join(root, ENV_FILE);
    kept ??= existsSync(file) ? parse(readFileSync(file)) : {};
    return kept[name] || undefined;
  };
}
