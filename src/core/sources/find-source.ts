import { DEFAULT_MAX_AGE_DAYS, kindOf, type PageSpec, type SourceHandle, type SourceSpec } from "../kinds/index.js";
import type { addFindings as addTo } from "./legwork.js";
import { type FindOptions, type Opened, type SourceProblem, type Sources } from "./sources.js";

const NOT_HERE: SourceProblem = { problem: "names something that cannot be read here" };

/** Finds what a name stands for, as its kind says where to look. */
export async function findSource(
  sources: Sources,
  name: string,
  spec: SourceSpec,
  options: FindOptions,
): Promise<SourceHandle | SourceProblem | undefined> {
  const { files, pages } = sources;
  const { source } = kindOf(spec.kind);
  // Loaded by templates that have something looked up.
  if (source === "legwork") return (await import("./legwork.js")).findLegwork(sources, name, spec, options);
  if (source === "page")
    return pages ? pages.find(name, { ...options, maxAgeDays: (spec as PageSpec).maxAgeDays ?? DEFAULT_MAX_AGE_DAYS }) : NOT_HERE;
  return files ? files.find(name, spec, options) : NOT_HERE;
}

/** Opens what was found. */
export async function openSource(sources: Sources, handle: SourceHandle, spec: SourceSpec): Promise<Opened | SourceProblem> {
  const { source } = kindOf(spec.kind);
  if (source === "legwork") return (await import("./legwork.js")).openLegwork(sources, handle);
  const port = source === "page" ? sources.pages : sources.files;
  return port ? port.open(handle, spec) : NOT_HERE;
}

/** What was found, and what a further errand adds to it. */
export const addFindings = async (...given: Parameters<typeof addTo>): ReturnType<typeof addTo> =>
  (await import("./legwork.js")).addFindings(...given);

/** A text as a model reads it: pages and attachments each under a mark of their own. */
export function shownText({ pages, title, date, address }: Opened): string {
  const head = [title && `Title: ${title}`, address && `Address: ${address}`, date && `Date: ${date}`].filter(Boolean).join("\n");
  const marked = pages.map(({ text, page, title: own, address: at }) => {
    const mark = [own, page !== undefined && at === undefined && (pages.length > 1 || page > 1) ? `page ${page}` : undefined]
      .filter(Boolean)
      .join(", ");
    return mark === "" ? text : `[${mark}]\n${text}`;
  });
  return [head, ...marked].filter((piece) => piece.trim() !== "").join("\n\n");
}
