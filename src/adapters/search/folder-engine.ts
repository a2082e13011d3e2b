import { stat } from "node:fs/promises";
import path from "node:path";
import MiniSearch from "minisearch";
import { glob } from "tinyglobby";
import type { Hit, SourceProblem } from "../../core/index.js";

/** The text of a document, by its path as the project names it. */
export type ReadDocument = (file: string) => Promise<{ readonly text: string; readonly title?: string | undefined } | SourceProblem>;

export interface FolderIndex {
  find(words: string, results: number): Promise<readonly Hit[] | SourceProblem>;
}

const SUMMARY_CHARS = 200;

/**
 * A folder of documents as an engine of one's own: a full-text index (BM25) over what they say, made anew when a file comes, goes or changes.
 *
 * @param folder by its path as the project has it, and where that leads.
 */
export function folderIndex({ folder, place }: { readonly folder: string; readonly place: string }, read: ReadDocument): FolderIndex {
  let made: { readonly mark: string; readonly index: MiniSearch; readonly hits: ReadonlyMap<string, Hit> } | undefined;

  const listed = async (): Promise<{ readonly files: string[]; readonly mark: string }> => {
    const files = (await glob("**/*", { cwd: place, dot: false, followSymbolicLinks: false, onlyFiles: true })).sort();
    const marks = await Promise.all(
      files.map(async (file) => {
        const now = await stat(path.join(place, file)).catch(() => undefined);
        return `${file} ${now?.size} ${now?.mtimeMs}`;
      }),
    );
    return { files, mark: marks.join("\n") };
  };

  const make = async (): Promise<NonNullable<typeof made>> => {
    const { files, mark } = await listed();
    if (made?.mark === mark) return made;
    const index = new MiniSearch({ fields: ["title", "text"], searchOptions: { boost: { title: 2 }, prefix: (term) => term.length > 4 } });
    const hits = new Map<string, Hit>();
    for (const file of files) {
      const address = `${folder}/${file}`;
      const document = await read(address);
      // What cannot be read is not found; it stands where it stood.
      if ("problem" in document) continue;
      const title = document.title ?? path.posix.basename(file);
      hits.set(address, { address, title, summary: document.text.slice(0, SUMMARY_CHARS), isFile: true });
      index.add({ id: address, title, text: document.text });
    }
    return (made = { mark, index, hits });
  };

  return {
    find: async (words, results) => {
      const { index, hits } = await make();
      if (hits.size === 0) return { problem: `went to the folder ${folder}, in which no document can be read` };
      return index
        .search(words)
        .slice(0, results)
        .map(({ id }) => hits.get(id as string)!);
    },
  };
}
