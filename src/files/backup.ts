import { copyFile } from "node:fs/promises";
import { YoroshiError } from "../core/index.js";
import { fileProblem } from "./file-problem.js";

/** Copies a file to `<name>.backup` beside it, before it is written into itself. */
export async function backUp(file: string, name: string): Promise<void> {
  await copyFile(file, `${file}.backup`).catch((error: unknown) => {
    throw new YoroshiError("fileUnwritable", { file: `${name}.backup`, problem: fileProblem(error) }, { cause: error });
  });
}
