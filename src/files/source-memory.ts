import { access, copyFile, constants, mkdir, rename, rm } from "node:fs/promises";
import path from "node:path";
import { YoroshiError } from "../core/index.js";
import type { NamedFile } from "./file-format.js";
import { fileProblem } from "./file-problem.js";
import { fileHash } from "./write-file.js";

/** A source as it is now, and as it was when the result was last written. */
export interface Taken {
  /** A copy of the source, so that it cannot change while it is read; the source's own name for messages. */
  readonly file: NamedFile;
  /** As it was; `undefined` where that is not known. */
  readonly before: NamedFile | undefined;
  /** Whether it is another than it was, or that is not known. */
  readonly isNew: boolean;
  /** It is what the result now rests on. */
  keep(): Promise<void>;
  /** Clears away what `keep` did not take. */
  drop(): Promise<void>;
}

/** Remembers a source as it was when its result was last written, so that it can be told what has changed in either since. */
export function sourceMemory(
  folder: string | undefined,
  result: NamedFile,
  part: string | undefined,
): { take(source: NamedFile): Promise<Taken> } {
  const home = folder ?? path.join(path.dirname(result.file), ".yoroshi", "sources");
  const fileName = (suffix: string): string =>
    path.join(
      home,
      `${result.name}${suffix}`.replace(/[^\w.-]/g, (char) => `~${char.codePointAt(0)!.toString(16)}`),
    );
  const whole = fileName("");
  const own = part === undefined ? whole : fileName(`#${part}`);
  const isThere = (file: string): Promise<boolean> =>
    access(file).then(
      () => true,
      () => false,
    );
  return {
    async take(source) {
      const known = (await isThere(own)) ? own : (await isThere(whole)) ? whole : undefined;
      const before = known === undefined ? undefined : { file: known, name: source.name };
      if (before && (await fileHash(before.file)) === (await fileHash(source.file)))
        return { file: before, before, isNew: false, keep: nothing, drop: nothing };
      const now = { file: `${own}.${process.pid}.now`, name: source.name };
      await copy(source, now.file, home);
      return {
        file: now,
        before,
        isNew: true,
        async keep() {
          // Of a result that has just been made from it, all parts rest on it.
          if (own !== whole && !(await isThere(whole))) await copyFile(now.file, whole, constants.COPYFILE_FICLONE);
          await rename(now.file, own);
        },
        drop: () => rm(now.file, { force: true }),
      };
    },
  };
}

const nothing = async (): Promise<void> => undefined;

async function copy(source: NamedFile, to: string, folder: string): Promise<void> {
  await mkdir(folder, { recursive: true });
  await copyFile(source.file, to, constants.COPYFILE_FICLONE).catch((error: unknown) => {
    throw new YoroshiError("fileUnreadable", { file: source.name, problem: fileProblem(error) }, { cause: error });
  });
}
