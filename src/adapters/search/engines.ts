import type { Hit, Search, SourceProblem } from "../../core/index.js";
import { filledIn, readDescription, readFeed } from "./feeds.js";
import { folderIndex, type FolderIndex, type ReadDocument } from "./folder-engine.js";
import type { FetchText } from "./fetch-text.js";
import { readJsonHits, type JsonMapping } from "./json-hits.js";

/** An engine: by its OpenSearch description, by an address that gives JSON, or a folder of documents. */
export type Engine = { readonly describe: string } | ({ readonly address: string } & JsonMapping) | { readonly folder: string };

export interface SearchOptions {
  readonly engines: Readonly<Record<string, Engine>>;
  readonly text: FetchText;
  /** Where a folder leads, and how documents in it are read. @throws Error whose message says why it may not be. */
  readonly place: (folder: string) => string;
  readonly read: ReadDocument;
}

/** How old an engine's description may be. */
const DESCRIPTION_DAYS = 7;

/** Searches by the engines of a project; the first one where none is named. */
export function searchEngines({ engines, text, place, read }: SearchOptions): Search {
  const folders = new Map<string, FolderIndex>();
  const inFolder = (folder: string, words: string, results: number): Promise<readonly Hit[] | SourceProblem> => {
    let index = folders.get(folder);
    if (!index) folders.set(folder, (index = folderIndex({ folder, place: place(folder) }, read)));
    return index.find(words, results);
  };
  const names = Object.keys(engines);
  return {
    find: async (words, { engine: wanted = names[0], results, maxAgeDays, ...options }) => {
      const engine = wanted === undefined ? undefined : engines[wanted];
      if (!engine)
        return {
          problem:
            names.length === 0
              ? "has no engine: name one in yoroshi.yaml under `search`"
              : `names the engine \`${wanted}\`, which yoroshi.yaml does not have; it has ${names.join(", ")}`,
        };
      if ("folder" in engine) return inFolder(engine.folder.replace(/\/+$/, ""), words, results);
      const way = "describe" in engine ? await described(engine.describe) : engine.address;
      if (way === undefined || typeof way !== "string") return way;
      const address = filledIn(way, words, results);
      if (address === undefined) return { problem: "wants something of its engine that is not known here" };
      const reply = await text(address, { ...options, maxAgeDays });
      if (reply === undefined || "problem" in reply) return reply;
      if ("describe" in engine) return readFeed(reply.text) ?? { problem: "got neither Atom nor RSS from its engine", mayPass: true };
      const hits = readJsonHits(reply.text, engine);
      return typeof hits === "string" ? { problem: `went to an engine that ${hits}`, mayPass: true } : hits;

      async function described(at: string): Promise<string | SourceProblem | undefined> {
        const description = await text(at, { ...options, maxAgeDays: DESCRIPTION_DAYS });
        if (description === undefined || "problem" in description) return description;
        return readDescription(description.text) ?? { problem: "has an engine whose description names neither Atom nor RSS" };
      }
    },
  };
}
