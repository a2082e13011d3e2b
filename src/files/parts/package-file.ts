import { open, type FileHandle } from "node:fs/promises";
import { configure, Reader, ZipReader, ZipWriter, type Entry, type FileEntry } from "@zip.js/zip.js";
import { YoroshiError } from "../../core/index.js";
import { fileProblem } from "../file-problem.js";
import { XmlFault, type XmlScanner } from "./xml.js";

configure({ useWebWorkers: false });

/** A workbook's file: a ZIP of parts (Open Packaging Conventions, ECMA-376 part 2), read in place. */
export interface PackageFile {
  readonly name: string;
  has(part: string): boolean;
  /** A small part whole; `undefined` where there is none. */
  text(part: string): Promise<string | undefined>;
  /** A part of any size, in pieces of text. */
  stream(part: string): AsyncIterable<string>;
  /** Hands a part's text to a scanner, giving way after each piece. */
  scan(part: string, scanner: XmlScanner): AsyncIterable<void>;
  /**
   * Writes the package anew: the parts named in `changed` with their new text (`null` leaves one out), all others as they are, still
   * compressed, so that not a byte of their content changes.
   */
  copy(
    changed: ReadonlyMap<string, string | AsyncIterable<string> | null>,
    added: ReadonlyMap<string, string | AsyncIterable<string>>,
    write: (bytes: Buffer) => Promise<void>,
  ): Promise<void>;
  close(): Promise<void>;
}

class HandleReader extends Reader<FileHandle> {
  constructor(readonly handle: FileHandle) {
    super(handle);
  }
  override async init(): Promise<void> {
    await super.init?.();
    this.size = (await this.handle.stat()).size;
  }
  override async readUint8Array(offset: number, length: number): Promise<Uint8Array> {
    const { bytesRead, buffer } = await this.handle.read(Buffer.alloc(length), 0, length, offset);
    return new Uint8Array(buffer.buffer, buffer.byteOffset, bytesRead);
  }
}

const PIECE_BYTES = 32 * 1024;
const COMPOUND_FILE = Buffer.from([0xd0, 0xcf, 0x11, 0xe0]);

/** @throws YoroshiError `fileUnreadable`. */
export async function openPackage(file: string, name: string): Promise<PackageFile> {
  let handle: FileHandle;
  try {
    handle = await open(file, "r");
  } catch (error) {
    throw new YoroshiError("fileUnreadable", { file: name, problem: fileProblem(error) }, { cause: error });
  }
  try {
    const { buffer } = await handle.read(Buffer.alloc(4), 0, 4, 0);
    if (buffer.equals(COMPOUND_FILE))
      throw unreadable(name, "it is encrypted, or a workbook of the old .xls form. Save it as .xlsx without a password");
    const entries = await new ZipReader(new HandleReader(handle)).getEntries();
    return packageOf(name, handle, entries);
  } catch (error) {
    await handle.close();
    if (error instanceof YoroshiError) throw error;
    throw unreadable(name, "it is not a workbook, or it is damaged", error);
  }
}

/** Whatever is wrong with a small part of a workbook, in words. */
export function orUnreadable(name: string, error: unknown): unknown {
  return error instanceof XmlFault ? unreadable(name, "a part of it is damaged", error) : error;
}

const unreadable = (name: string, problem: string, cause?: unknown): YoroshiError =>
  new YoroshiError("fileUnreadable", { file: name, problem }, { cause });

function packageOf(name: string, handle: FileHandle, entries: readonly Entry[]): PackageFile {
  // Part names are the same whatever their case (ECMA-376 part 2, 7.2.3.5).
  const byName = new Map(entries.flatMap((entry) => (entry.directory ? [] : [[entry.filename.toLowerCase(), entry] as const])));
  const entryOf = (part: string): FileEntry | undefined => byName.get(part.toLowerCase());
  async function* stream(part: string): AsyncGenerator<string> {
    const entry = entryOf(part);
    if (!entry) throw unreadable(name, `its part ${part} is missing`);
    const decoder = new TextDecoder("utf-8", { fatal: true });
    let size = 0;
    try {
      // In small pieces: what a large one is taken apart into would outlive the collector's first look.
      for await (const bytes of bytesOf(entry)) {
        size += bytes.length;
        // A size that is a lie hides what would fill the memory.
        if (size > entry.uncompressedSize) throw unreadable(name, `its part ${part} is larger than it says`);
        for (let at = 0; at < bytes.length; at += PIECE_BYTES) yield decoder.decode(bytes.subarray(at, at + PIECE_BYTES), { stream: true });
      }
      yield decoder.decode();
    } catch (error) {
      throw error instanceof YoroshiError ? error : unreadable(name, `its part ${part} is damaged`, error);
    }
  }
  return {
    name,
    async *scan(part, scanner) {
      try {
        for await (const text of stream(part)) {
          scanner.write(text);
          yield;
        }
        scanner.finish();
        yield;
      } catch (error) {
        throw error instanceof XmlFault ? unreadable(name, `its part ${part} is damaged`, error) : error;
      }
    },
    has: (part) => entryOf(part) !== undefined,
    stream,
    async text(part) {
      if (!entryOf(part)) return undefined;
      let text = "";
      for await (const piece of stream(part)) text += piece;
      return text;
    },
    async copy(changed, added, write) {
      const out = new ZipWriter(
        new WritableStream<Uint8Array>({ write: (bytes) => write(Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength)) }),
        { dataDescriptor: false, extendedTimestamp: false, level: 6 },
      );
      const now = new Map([...changed].map(([part, content]) => [part.toLowerCase(), content]));
      for (const entry of entries) {
        if (entry.directory) {
          await out.add(entry.filename, undefined, { directory: true, lastModDate: entry.lastModDate });
          continue;
        }
        const content = now.get(entry.filename.toLowerCase());
        if (content === null) continue;
        if (content !== undefined) await out.add(entry.filename, readable(content), { lastModDate: entry.lastModDate });
        else {
          // As it is: neither unpacked nor packed again.
          const { readable: raw, writable } = new TransformStream<Uint8Array, Uint8Array>();
          const { filename, compressionMethod, uncompressedSize, signature, lastModDate, externalFileAttributes, versionMadeBy } = entry;
          await Promise.all([
            entry.getData(writable, { passThrough: true }),
            out.add(filename, raw, {
              passThrough: true,
              compressionMethod,
              uncompressedSize,
              signature: signature ?? 0,
              lastModDate,
              externalFileAttributes,
              versionMadeBy,
            }),
          ]);
        }
      }
      for (const [part, content] of added) await out.add(part, readable(content));
      await out.close();
    },
    close: () => handle.close(),
  };
}

async function* bytesOf(entry: FileEntry): AsyncGenerator<Uint8Array> {
  const { readable, writable } = new TransformStream<Uint8Array, Uint8Array>();
  // An entry that breaks off shows in the reading below.
  const unpacked = entry
    .getData(writable, { checkSignature: true })
    .catch(async (error: unknown) => void (await writable.abort(error).catch(() => undefined)));
  // Node reads such a stream chunk by chunk; the browser's types do not say so.
  yield* readable as unknown as AsyncIterable<Uint8Array>;
  await unpacked;
}

function readable(content: string | AsyncIterable<string>): ReadableStream<Uint8Array> {
  const encoder = new TextEncoder();
  if (typeof content === "string")
    return new ReadableStream({ start: (stream) => (stream.enqueue(encoder.encode(content)), stream.close()) });
  const pieces = content[Symbol.asyncIterator]();
  return new ReadableStream({
    async pull(stream) {
      const { done, value } = await pieces.next();
      if (done) stream.close();
      else stream.enqueue(encoder.encode(value));
    },
    cancel: async () => void (await pieces.return?.()),
  });
}
