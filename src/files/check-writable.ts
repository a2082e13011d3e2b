import { access, constants, stat } from "node:fs/promises";
import path from "node:path";
import { YoroshiError } from "../core/index.js";
import { fileProblem } from "./file-problem.js";

/** Throws where a file could not be written whole: its folder is not writable, or the file itself is protected. */
export async function checkWritable(file: string, name: string): Promise<void> {
  try {
    if ((await stat(file).catch(() => undefined))?.isDirectory()) throw Object.assign(new Error(), { code: "EISDIR" });
    await access(path.dirname(file), constants.W_OK);
    await access(file, constants.W_OK).catch((error: unknown) => {
      if ((error as { code?: string }).code !== "ENOENT") throw error;
    });
  } catch (error) {
    throw new YoroshiError("fileUnwritable", { file: name, problem: fileProblem(error) }, { cause: error });
  }
}
