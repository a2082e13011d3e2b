import { createHash } from "node:crypto";
import { mkdir, open, stat, writeFile } from "node:fs/promises";
import path from "node:path";
import {
  isProblem,
  kindOf,
  type Files,
  type FindOptions,
  type SourceHandle,
  type SourceProblem,
  type SourceSpec,
} from "../../core/index.js";
import { bytesIn } from "./bytes-in.js";
import { MOST_BYTES } from "./limits.js";
import type { FileReader } from "./pool.js";
import { readHow } from "./read-how.js";
import { HEAD_BYTES, isPicture, TAIL_BYTES, typeOf } from "./type-of.js";

/** What is known of a file as it was when it was read whole. */
export interface KnownFile {
  readonly size: number;
  readonly changedMs: number;
  readonly node: number;
  readonly hash: string;
  readonly type: string;
}

export interface SourceFilesOptions {
  readonly reader: FileReader;
  /** Where a path leads, if it may be read. @throws Error whose message says why not. */
  place(path: string): string;
  /** The folder in which bytes are kept that came from elsewhere than files. */
  readonly keptFolder: string;
  /** What is known of files by their places, over runs. */
  readonly known: {
    get(place: string): Promise<KnownFile | undefined>;
    set(place: string, known: KnownFile): Promise<void>;
  };
  /** Fetches what lies at an address. Left out: addresses are not read. */
  readonly fetched?: ((address: string, options: FindOptions) => Promise<FetchedFile | SourceProblem | undefined>) | undefined;
}

/** Something that was fetched, kept in a file. */
export interface FetchedFile {
  readonly place: string;
  readonly handle: SourceHandle;
}

/** Files of the project, of folders that it allows, of addresses, and bytes that stand in cells themselves. */
export function sourceFiles({ reader, place, keptFolder, known, fetched }: SourceFilesOptions): Files {
  /** Hash -> where its bytes lie. */
  const places = new Map<string, string>();

  const fileAt = async (name: string): Promise<SourceHandle | SourceProblem> => {
    let absolute: string;
    try {
      absolute = place(name);
    } catch (error) {
      return { problem: `names a file that may not be read: ${(error as Error).message}` };
    }
    const looked = await lookAt(absolute, name, known);
    if (!isProblem(looked)) places.set(looked.hash, absolute);
    return looked;
  };

  const bytesOf = async (bytes: Uint8Array): Promise<SourceHandle | SourceProblem> => {
    const found = typeOf(bytes.subarray(0, HEAD_BYTES), bytes.subarray(-TAIL_BYTES), "");
    if ("problem" in found) return { problem: `holds what ${found.problem}` };
    if (bytes.length > MOST_BYTES) return tooLarge(bytes.length);
    const hash = createHash("sha256").update(bytes).digest("hex");
    const kept = path.join(keptFolder, hash);
    if (!places.has(hash)) {
      await mkdir(keptFolder, { recursive: true });
      // The same bytes have the same name: whoever writes first is right.
      await writeFile(kept, bytes, { flag: "wx" }).catch((error: unknown) => {
        if ((error as { code?: string }).code !== "EEXIST") throw error;
      });
      places.set(hash, kept);
    }
    return { hash, type: found.type, bytes: bytes.length };
  };

  const addressed = async (address: string, options: FindOptions): Promise<SourceHandle | SourceProblem | undefined> => {
    if (!fetched) return { problem: "names an address, and nothing is fetched here" };
    const got = await fetched(address, options);
    if (got === undefined || isProblem(got)) return got;
    places.set(got.handle.hash, got.place);
    return got.handle;
  };

  return {
    find: async (name, spec, options) => {
      const bytes = bytesIn(name);
      if (bytes && "problem" in bytes) return bytes;
      const handle = bytes
        ? await bytesOf(bytes.bytes)
        : /^https?:\/\//i.test(name)
          ? await addressed(name, options)
          : /^[a-z][a-z0-9+.-]+:/i.test(name) && !/^[a-z]:[\\/]/i.test(name)
            ? {
                problem: `names an address of the kind \`${name.slice(0, name.indexOf(":") + 1)}\`, which is not read; name a path, or http(s)`,
              }
            : await fileAt(name);
      return handle && !isProblem(handle) ? fitting(handle, spec) : handle;
    },
    open: async (handle, spec) => {
      const where = places.get(handle.hash);
      return where === undefined ? { problem: "is not at hand any more", mayPass: true } : reader.read(where, handle, readHow(spec));
    },
  };
}

/** A document can be a picture; a picture can be nothing else. */
function fitting(handle: SourceHandle, spec: SourceSpec): SourceHandle | SourceProblem {
  return kindOf(spec.kind).source === "image" && !isPicture(handle.type)
    ? { problem: `is no picture (PNG, JPEG, WebP or GIF) but ${TYPE_WORDS[handle.type] ?? handle.type}` }
    : handle;
}

const TYPE_WORDS: Readonly<Record<string, string>> = {
  "application/pdf": "a PDF",
  "text/html": "a page of HTML",
  "text/plain": "text",
  "text/markdown": "text",
  "message/rfc822": "an e-mail",
};

const tooLarge = (size: number): SourceProblem => ({
  problem: `is a file of ${Math.round(size / 1024 / 1024)} MB, at most ${MOST_BYTES / 1024 / 1024} MB are read`,
});

/** Reads a file's hash and type, unless it is as it was when they were read before. */
async function lookAt(absolute: string, name: string, known: SourceFilesOptions["known"]): Promise<SourceHandle | SourceProblem> {
  try {
    const own = await stat(absolute);
    const { size, mtimeMs: changedMs, ino: node } = own;
    if (own.isDirectory()) return { problem: "names a folder, not a file" };
    if (!own.isFile()) return { problem: "names something that is no file" };
    if (size === 0) return { problem: "is an empty file" };
    if (size > MOST_BYTES) return tooLarge(size);
    const before = await known.get(absolute);
    if (before && before.size === size && before.changedMs === changedMs && before.node === node && isSettled(changedMs))
      return { hash: before.hash, type: before.type, bytes: size };
    const { hash, head, tail } = await hashed(absolute, size);
    const found = typeOf(head, tail, name);
    if ("problem" in found) return found;
    await known.set(absolute, { size, changedMs, node, hash, type: found.type });
    return { hash, type: found.type, bytes: size };
  } catch (error) {
    const { code } = error as { code?: string };
    if (code === "ENOENT" || code === "ENOTDIR") return { problem: "names a file that is not there" };
    if (code === "EACCES" || code === "EPERM") return { problem: "names a file that this user may not read" };
    if (code === "ENAMETOOLONG" || code === "ERR_INVALID_ARG_VALUE") return { problem: "is no name of a file" };
    throw error;
  }
}

/** A file that was changed a moment ago may change again within the same tick of the file system's clock. */
const isSettled = (changedMs: number): boolean => Date.now() - changedMs > 2_000;

const PIECE = 1024 * 1024;

async function hashed(absolute: string, size: number): Promise<{ hash: string; head: Uint8Array; tail: Uint8Array }> {
  const hash = createHash("sha256");
  const file = await open(absolute);
  try {
    const piece = Buffer.allocUnsafe(Math.min(PIECE, Math.max(1, size)));
    let head: Buffer | undefined;
    for (let read = await file.read(piece); read.bytesRead > 0; read = await file.read(piece)) {
      const part = piece.subarray(0, read.bytesRead);
      head ??= Buffer.from(part.subarray(0, HEAD_BYTES));
      hash.update(part);
    }
    const tail = Buffer.alloc(Math.min(TAIL_BYTES, size));
    await file.read(tail, 0, tail.length, size - tail.length);
    return { hash: hash.digest("hex"), head: head ?? Buffer.alloc(0), tail };
  } finally {
    await file.close();
  }
}
