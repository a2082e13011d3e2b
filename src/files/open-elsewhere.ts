import { access } from "node:fs/promises";
import path from "node:path";
import { YoroshiError } from "../core/index.js";
import type { NamedFile } from "./file-format.js";

const LOOK_EVERY_MS = 250;

/** The files by which spreadsheet programs say that they have a file open: `.~lock.t.xlsx#`, `~$t.xlsx`. */
const lockFiles = (file: string): string[] =>
  [`.~lock.${path.basename(file)}#`, `~$${path.basename(file)}`].map((name) => path.join(path.dirname(file), name));

async function lockOf(file: string): Promise<string | undefined> {
  for (const lock of lockFiles(file))
    if (
      await access(lock).then(
        () => true,
        () => false,
      )
    )
      return lock;
  return undefined;
}

/** Tells where a spreadsheet program has a file open that is going to be written. */
export async function tellOpenElsewhere({ file, name }: NamedFile, onNotice: ((text: string) => void) | undefined): Promise<void> {
  const lock = await lockOf(file);
  if (lock !== undefined)
    onNotice?.(`${name} is open in a spreadsheet program (${path.basename(lock)}). Close it there before it is written.`);
}

/**
 * Waits until no spreadsheet program has a file open: it would not see what is written, and write over it.
 *
 * @throws YoroshiError `fileUnwritable` where it stays open.
 */
export async function waitUntilClosed(
  { file, name }: NamedFile,
  mostMs: number,
  onNotice: ((text: string) => void) | undefined,
): Promise<void> {
  const began = performance.now();
  for (let told = false; ; told = true) {
    const lock = await lockOf(file);
    if (lock === undefined) return;
    if (performance.now() - began >= mostMs)
      throw new YoroshiError("fileUnwritable", {
        file: name,
        problem: `it is open in a spreadsheet program. Close it there; if none has it open, delete ${path.basename(lock)} beside it`,
      });
    if (!told) onNotice?.(`${name} is open in a spreadsheet program; waiting for it to be closed.`);
    await new Promise((resolve) => setTimeout(resolve, LOOK_EVERY_MS));
  }
}
