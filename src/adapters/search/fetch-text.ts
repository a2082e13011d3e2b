import type { FindOptions, SourceProblem } from "../../core/index.js";

/** Gets the text at an address, fetched unless it was within some days. `undefined`: it would have to be fetched, and may not be. */
export type FetchText = (
  address: string,
  options: FindOptions & { readonly maxAgeDays: number },
) => Promise<{ readonly text: string; readonly type: string } | SourceProblem | undefined>;
