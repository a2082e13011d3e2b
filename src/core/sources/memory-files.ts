import { sha256Hex } from "../ground/index.js";
import type { SourceHandle } from "../kinds/index.js";
import type { Files, Opened, Pages, SourceProblem } from "./sources.js";

/** What stands under a name in memory: an opened source, and what it counts as. */
export interface MemorySource extends Partial<Opened> {
  /** Default `text/plain`. */
  readonly type?: string | undefined;
}

const opened = (source: MemorySource): Opened => ({ pages: [], pictures: [], notes: [], ...source });

function handleOf(source: MemorySource): SourceHandle {
  const { pages, pictures } = opened(source);
  const content = JSON.stringify([pages, pictures.map(({ hash }) => hash)]);
  return { hash: sha256Hex(content), type: source.type ?? "text/plain", bytes: content.length };
}

/**
 * Files by name, held in memory: for tests, and for pages that have a file's content already.
 *
 * @example
 * ```ts
 * import { memoryFiles } from "yoroshi";
 *
 * const files = memoryFiles({ "log.txt": { pages: [{ text: "The pump leaks." }] } });
 * const found = await files.find("log.txt", { kind: "document" }, { mayFetch: false });
 * found !== undefined && "hash" in found; // => true
 * ```
 */
export function memoryFiles(sources: Readonly<Record<string, MemorySource | SourceProblem>>): Files {
  const byHash = new Map(
    Object.values(sources).flatMap((source) => ("problem" in source ? [] : [[handleOf(source).hash, opened(source)] as const])),
  );
  return {
    find: async (name) => {
      const source = sources[name];
      if (!source) return { problem: "names a file that is not there" };
      return "problem" in source ? source : handleOf(source);
    },
    open: async ({ hash }) => byHash.get(hash) ?? { problem: "is not there any more" },
  };
}

/**
 * Pages by address, held in memory: for tests.
 *
 * @example
 * ```ts
 * import { memoryPages } from "yoroshi";
 *
 * const pages = memoryPages({ "http://shop.example/": { title: "Shop", pages: [{ text: "Open at seven." }] } });
 * const found = await pages.find("http://shop.example/", { mayFetch: false, maxAgeDays: 30 });
 * found !== undefined && "hash" in found; // => true
 * ```
 */
export function memoryPages(sources: Readonly<Record<string, MemorySource | SourceProblem>>): Pages {
  const files = memoryFiles(sources);
  return {
    find: async (address, options) => {
      const found = await files.find(address, { kind: "page" }, options);
      return found && "problem" in found && !(address in sources) ? { problem: "names a page that is not there" } : found;
    },
    open: (handle) => files.open(handle, { kind: "page" }),
  };
}
