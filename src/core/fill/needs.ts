import type { Json } from "../ground/index.js";
import { kindOf, LEGWORK_DEFAULTS, type LegworkSpec } from "../kinds/index.js";
import type { Errand } from "../sources/index.js";
import type { NamedSource, Prepared } from "../template/index.js";

/** What a run needs besides asking. */
export interface Needs {
  /** Pictures and documents that are read. */
  readonly files: number;
  /** Pages, and files at addresses, that are fetched, at most. */
  readonly pages: number;
  readonly searches: number;
}

/** Counts what questions need, what several of them name once. */
export class NeedsCounted {
  readonly #files = new Set<string>();
  readonly #pages = new Set<string>();
  readonly #searches = new Set<string>();
  #read = 0;

  /** What is at hand, of a question that is asked. */
  inputs({ inputs: shapes }: Prepared, inputs: Readonly<Record<string, Json>>): void {
    for (const { name, kind } of shapes) {
      if (kind.source !== "image" && kind.source !== "document") continue;
      const value = inputs[name];
      for (const one of Array.isArray(value) ? value : [value]) if (one) this.#files.add((one as { hash: string }).hash);
    }
  }

  wants(sources: readonly NamedSource[]): void {
    for (const { name, spec } of sources) {
      if (kindOf(spec.kind).source !== "legwork") {
        this.#pages.add(name);
        continue;
      }
      const { search, read } = JSON.parse(name) as Errand;
      for (const words of search) this.#searches.add(words);
      for (const address of read) this.#pages.add(address);
      this.#read += Math.max(0, ((spec as LegworkSpec).readPages ?? LEGWORK_DEFAULTS.readPages) - read.length);
    }
  }

  get all(): Needs {
    return { files: this.#files.size, pages: this.#pages.size + this.#read, searches: this.#searches.size };
  }
}
