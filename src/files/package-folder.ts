import { existsSync } from "node:fs";
import path from "node:path";
import { fileURLToPath } from "node:url";

/** A folder that ships with the package, wherever the build has put this file. */
export function packageFolder(name: string): string {
  let folder = path.dirname(fileURLToPath(import.meta.url));
  while (!existsSync(path.join(folder, "package.json"))) folder = path.dirname(folder);
  return path.join(folder, name);
}
