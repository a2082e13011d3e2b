import { createHash } from "node:crypto";
import { createReadStream } from "node:fs";
import { open, readdir, rename, rm, stat, type FileHandle } from "node:fs/promises";
import path from "node:path";
import { YoroshiError } from "../core/index.js";
import { fileProblem } from "./file-problem.js";
import { isRunning } from "./process.js";

/** Removes what killed processes left half-written beside a file. */
async function removeLeftovers(file: string): Promise<void> {
  const folder = path.dirname(file);
  const prefix = `.${path.basename(file)}.`;
  for (const name of await readdir(folder).catch(() => [])) {
    const pid = name.startsWith(prefix) ? /^(\d+)\.tmp$/.exec(name.slice(prefix.length))?.[1] : undefined;
    if (pid !== undefined && !isRunning(Number(pid))) await rm(path.join(folder, name), { force: true });
  }
}

/**
 * Writes a file whole or not at all: beside its place, flushed to the disk, then swapped in. The old file stays until
 * the new one is complete.
 *
 * @param beforeSwap done when all is written, while the old file still stands.
 * @returns the SHA-256 of what was written.
 */
export async function writeWhole(
  file: string,
  name: string,
  produce: (write: (bytes: Buffer) => Promise<void>) => Promise<void>,
  beforeSwap?: () => Promise<void>,
): Promise<string> {
  const temporary = path.join(path.dirname(file), `.${path.basename(file)}.${process.pid}.tmp`);
  const hash = createHash("sha256");
  let handle: FileHandle | undefined;
  try {
    await removeLeftovers(file);
    const mode = await stat(file).then(
      (found) => found.mode & 0o777,
      () => 0o644,
    );
    handle = await open(temporary, "w", mode);
    await produce(async (bytes) => {
      hash.update(bytes);
      await handle!.appendFile(bytes);
    });
    await handle.sync();
    await handle.close();
    handle = undefined;
    await beforeSwap?.();
    await rename(temporary, file);
    await syncFolder(path.dirname(file));
    return hash.digest("hex");
  } catch (error) {
    await handle?.close().catch(() => undefined);
    await rm(temporary, { force: true }).catch(() => undefined);
    // What was wrong with the content is its writer's to tell.
    if (error instanceof YoroshiError || (error as { code?: unknown }).code === undefined) throw error;
    throw new YoroshiError("fileUnwritable", { file: name, problem: fileProblem(error) }, { cause: error });
  }
}

async function syncFolder(folder: string): Promise<void> {
  const handle = await open(folder, "r").catch(() => undefined); // not every system opens folders
  await handle?.sync().catch(() => undefined);
  await handle?.close();
}

interface Hashed {
  readonly state: string;
  readonly hash: string;
}

/** Times of a file may be so coarse that two writes have the same; a file that was changed so lately is read each time. */
const RACY_MS = 2_000;
const MOST_HASHED = 200;
const hashed = new Map<string, Hashed>();

/** SHA-256 of a file, or `undefined` when there is none. A file that stands as it did is not read again. */
export async function fileHash(file: string): Promise<string | undefined> {
  try {
    const { ino, size, mtimeNs, ctimeNs } = await stat(file, { bigint: true });
    const state = `${ino} ${size} ${mtimeNs} ${ctimeNs}`;
    const known = hashed.get(file);
    if (known?.state === state) return known.hash;
    const began = Date.now();
    const hash = createHash("sha256");
    for await (const chunk of createReadStream(file, { highWaterMark: 1024 * 1024 })) hash.update(chunk as Buffer);
    const digest = hash.digest("hex");
    const changedAt = Number((mtimeNs > ctimeNs ? mtimeNs : ctimeNs) / 1_000_000n);
    hashed.delete(file);
    if (began - changedAt > RACY_MS) hashed.set(file, { state, hash: digest });
    if (hashed.size > MOST_HASHED) hashed.delete(hashed.keys().next().value!);
    return digest;
  } catch {
    return undefined;
  }
}
