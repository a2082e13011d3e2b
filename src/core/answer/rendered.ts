import type { Json, Message, Remark } from "../ground/index.js";
import type { Model } from "../model/index.js";
import { hasSources, type Prepared } from "../template/index.js";
import type { SeenSource } from "./open-sources.js";

/** The prompt about a row as a model sees it, with all that the row names. */
export interface Rendered {
  readonly messages: readonly Message[];
  /** The texts in which quotations are looked for. */
  readonly quotable: Readonly<Record<string, Json>>;
  readonly seen: readonly SeenSource[];
}

/** Makes the prompt about a row; what the row names is opened first. */
export async function rendered(
  prepared: Prepared,
  inputs: Readonly<Record<string, Json>>,
  model: Pick<Model, "pictures">,
): Promise<Rendered | { readonly reason: Remark }> {
  if (!hasSources(prepared)) return { messages: prepared.render(inputs), quotable: inputs, seen: [] };
  const opened = await (await import("./open-sources.js")).openSources(prepared, inputs, model);
  if ("reason" in opened) return { reason: opened.reason };
  return { messages: opened.prepared.render(opened.inputs), quotable: opened.prepared.quotedIn!(inputs), seen: opened.seen };
}
