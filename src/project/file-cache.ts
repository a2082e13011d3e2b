import { statSync } from "node:fs";

interface Kept {
  readonly state: string;
  readonly made: Promise<unknown>;
}

/** Keeps what was made of files, as long as these stand as they did. */
export class FileCache {
  readonly #named = new Map<string, Kept>();
  readonly #owned = new WeakMap<object, Kept>();

  /**
   * @param name what it is kept under, a text or the object that it belongs to; another value under the same name replaces it.
   * @param files absolute paths of all that it is made of.
   * @param besides what else it depends on.
   */
  get<T>(name: string | object, files: readonly string[], besides: string, make: () => Promise<T>): Promise<T> {
    const state = `${besides}\n${files.map(stateOf).join("\n")}`;
    const kept = typeof name === "string" ? this.#named.get(name) : this.#owned.get(name);
    // Only this name's maker put it there.
    if (kept?.state === state) return kept.made as Promise<T>;
    const made = make();
    if (typeof name === "string") this.#named.set(name, { state, made });
    else this.#owned.set(name, { state, made });
    return made;
  }
}

function stateOf(file: string): string {
  const stat = statSync(file, { throwIfNoEntry: false });
  return stat ? `${stat.ino} ${stat.size} ${stat.mtimeMs}` : "none";
}
