import { YoroshiError } from "../core/index.js";

/**
 * Counts the tokens of a text as the `o200k_base` vocabulary has them. It takes a second to load, so it is loaded where tokens are counted.
 *
 * @throws YoroshiError `packageUnusable` where it is not installed.
 */
export async function tokenizer(): Promise<(text: string) => number> {
  const { countTokens } = await import("gpt-tokenizer/encoding/o200k_base").catch((error: unknown) => {
    const problem = "it is not installed. Install it beside yoroshi: npm install gpt-tokenizer";
    throw new YoroshiError("packageUnusable", { name: "gpt-tokenizer", problem }, { cause: error });
  });
  return (text) => countTokens(text);
}
