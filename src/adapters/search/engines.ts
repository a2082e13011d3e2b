import type { Search, SourceProblem } from "../../core/index.js";
import { filledIn, readDescription, readFeed } from "./feeds.js";
import type { FetchText } from "./fetch-text.js";
import { readJsonHits, type JsonMapping } from "./json-hits.js";

/** An engine: by its OpenSearch description, or by an address that gives JSON. */
export type Engine = { readonly describe: string } | ({ readonly address: string } & JsonMapping);

export interface SearchOptions {
  readonly engines: Readonly<Record<string, Engine>>;
  readonly text: FetchText;
}

/** How old an engine's description may be. */
const DESCRIPTION_DAYS = 7;

/** Searches by the engines of a project; the first one where none is named. */
export function searchEngines({ engines, text }: SearchOptions): Search {
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
