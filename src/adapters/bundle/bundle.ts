import { createHash } from "node:crypto";
import { Unzip, UnzipInflate, zipSync, type Zippable } from "fflate";
import * as z from "zod";
import { YoroshiError } from "../../core/index.js";

/** One file of a bundle, with its path in the project. */
export interface BundleFile {
  readonly path: string;
  readonly bytes: Uint8Array;
}

export const BUNDLE_FORMAT = "bundle/1";
const MANIFEST = "manifest.json";
const MOST_FILES = 2_000;
const MOST_BYTES = 200_000_000;
/** Every entry has the same time, so that the same files make the same bundle. */
const ENTRY_TIME = new Date(2000, 0, 1);

const manifest = z.object({
  yoroshi: z.literal(BUNDLE_FORMAT),
  files: z.array(z.object({ path: z.string().min(1), bytes: z.int().min(0), sha256: z.string().regex(/^[0-9a-f]{64}$/) })),
});

/** A ZIP file with the given files and a manifest of their sizes and SHA-256 hashes. */
export function packBundle(files: readonly BundleFile[]): Uint8Array {
  const listed = files.map(({ path, bytes }) => ({ path, bytes: bytes.length, sha256: sha256(bytes) }));
  const entries: Zippable = {
    [MANIFEST]: [
      new TextEncoder().encode(`${JSON.stringify({ yoroshi: BUNDLE_FORMAT, files: listed }, null, 2)}\n`),
      { mtime: ENTRY_TIME },
    ],
  };
  for (const { path, bytes } of files) entries[path] = [bytes, { mtime: ENTRY_TIME }];
  return zipSync(entries);
}

/**
 * The files of a bundle, each checked against the manifest.
 *
 * @param name what messages call it.
 * @throws YoroshiError `bundleBroken` for what is not a bundle, is damaged, too large, or leads out of a project.
 */
export function unpackBundle(zip: Uint8Array, name: string): BundleFile[] {
  const broken = (problem: string): YoroshiError => new YoroshiError("bundleBroken", { file: name, problem });
  let entries: Record<string, Uint8Array>;
  try {
    entries = unzipCounted(zip, () => broken(`it is larger than ${MOST_FILES} files or ${MOST_BYTES / 1e6} MB`));
  } catch (error) {
    throw error instanceof YoroshiError ? error : broken("it is not a ZIP file, or it is damaged");
  }
  const stated = entries[MANIFEST];
  if (!stated) throw broken("it has no manifest.json, so it is not a bundle");
  const { success, data } = manifest.safeParse(parsed(stated));
  if (!success) throw broken(`its manifest is not that of a ${BUNDLE_FORMAT}`);
  return data.files.map(({ path, bytes, sha256: expected }) => {
    if (!isInside(path)) throw broken(`it wants to write \`${path}\`, which is not a plain path in a project`);
    const content = entries[path];
    if (!content) throw broken(`\`${path}\` is in the manifest, but missing`);
    if (content.length !== bytes || sha256(content) !== expected)
      throw broken(`\`${path}\` is not what the manifest says; it was changed or damaged`);
    return { path, bytes: content };
  });
}

const PIECE_BYTES = 16 * 1024;

/** Unpacks piece by piece and counts what comes out: what a ZIP says of its sizes may be a lie. */
function unzipCounted(zip: Uint8Array, tooLarge: () => YoroshiError): Record<string, Uint8Array> {
  const entries: Record<string, Uint8Array> = {};
  let total = 0;
  let count = 0;
  let open = 0;
  const unzip = new Unzip((file) => {
    if (++count > MOST_FILES) throw tooLarge();
    if (file.name.endsWith("/")) return;
    const chunks: Uint8Array[] = [];
    open++;
    file.ondata = (error, chunk, isLast) => {
      if (error) throw error;
      total += chunk.length;
      if (total > MOST_BYTES) throw tooLarge();
      chunks.push(chunk);
      if (!isLast) return;
      open--;
      entries[file.name] = Buffer.concat(chunks);
    };
    file.start();
  });
  unzip.register(UnzipInflate);
  for (let at = 0; at < zip.length; at += PIECE_BYTES) unzip.push(zip.subarray(at, at + PIECE_BYTES), at + PIECE_BYTES >= zip.length);
  if (count === 0 || open > 0) throw new Error("it breaks off");
  return entries;
}

/** A plain relative path, in the form that is the same on every system. */
function isInside(path: string): boolean {
  return (
    !/^[/\\]|^[A-Za-z]:|\\|\0/.test(path) &&
    path.split("/").every((part) => part !== "" && part !== "." && part !== ".." && !part.startsWith("."))
  );
}

function parsed(bytes: Uint8Array): unknown {
  try {
    return JSON.parse(new TextDecoder("utf-8", { fatal: true }).decode(bytes));
  } catch {
    return undefined;
  }
}

function sha256(bytes: Uint8Array): string {
  return createHash("sha256").update(bytes).digest("hex");
}
