import { mkdtemp, rm, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import path from "node:path";
import type { NamedFile } from "../file-format.js";

/** Uses the bytes of a package as a file that is gone afterwards. */
export async function asFile<T>(bytes: Uint8Array, name: string, use: (file: NamedFile) => Promise<T>): Promise<T> {
  const folder = await mkdtemp(path.join(tmpdir(), "yoroshi-"));
  try {
    const file = path.join(folder, "new");
    await writeFile(file, bytes);
    return await use({ file, name });
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}

/** What a sheet is called that holds the rows of a new file: as the file, without what sheets' names may not have. */
export const sheetNameFor = (file: string): string =>
  path
    .basename(file)
    .replace(/\.[^.]+$/, "")
    .replace(/[[\]:*?/\\']/g, " ")
    .trim()
    .slice(0, 31) || "Rows";
