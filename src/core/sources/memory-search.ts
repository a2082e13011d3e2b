import type { Hit, Search } from "./sources.js";

/**
 * An engine over hits by the words that find them, held in memory: for tests.
 *
 * @example
 * ```ts
 * import { memorySearch } from "yoroshi";
 *
 * const search = memorySearch({ rope: [{ address: "http://shop.example/", title: "Shop", summary: "" }] });
 * await search.find("rope", { mayFetch: false, results: 3, maxAgeDays: 30 }); // => [{ address: "http://shop.example/", title: "Shop", summary: "" }]
 * ```
 */
export function memorySearch(hits: Readonly<Record<string, readonly Hit[]>>): Search {
  return {
    find: async (words, { engine, results }) =>
      engine === undefined
        ? (hits[words] ?? []).slice(0, results)
        : { problem: `names the engine \`${engine}\`, and there is one without a name` },
  };
}
