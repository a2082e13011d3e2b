import {
  DEFAULT_LONGEST_SIDE,
  kindOf,
  type Files,
  type ImageSpec,
  type Opened,
  type Picture,
  type SourceHandle,
  type SourceProblem,
} from "../../core/index.js";

/** What of a page's own pictures is used; Node's types know none of it. */
interface Bitmap {
  readonly width: number;
  readonly height: number;
  close(): void;
}
interface Canvas {
  getContext(kind: "2d"): { drawImage(image: Bitmap, x: number, y: number, width: number, height: number): void };
  convertToBlob(options: { readonly type: string; readonly quality?: number }): Promise<Blob>;
}
interface Page {
  createImageBitmap(blob: Blob, options: { readonly imageOrientation: "from-image" }): Promise<Bitmap>;
  readonly OffscreenCanvas: new (width: number, height: number) => Canvas;
}

const MOST_POINTS = 100_000_000;
const JPEG_QUALITY = 0.85;

const BEGINNINGS: readonly (readonly [string, string])[] = [
  ["89504e470d0a1a0a", "image/png"],
  ["ffd8ff", "image/jpeg"],
  ["47494638", "image/gif"],
];

const hex = (bytes: Uint8Array): string => [...bytes].map((byte) => byte.toString(16).padStart(2, "0")).join("");

function typeOf(bytes: Uint8Array, told: string): string {
  const start = hex(bytes.subarray(0, 12));
  const known = BEGINNINGS.find(([begins]) => start.startsWith(begins))?.[1];
  if (known) return known;
  if (start.startsWith("52494646") && start.endsWith("57454250")) return "image/webp";
  return told.startsWith("text/") ? told.split(";")[0]! : bytes.includes(0) ? "application/octet-stream" : "text/plain";
}

/**
 * Files that a person gave to a page, by names of its choosing: pictures, turned upright and scaled down by the page itself, and plain
 * text. Other documents are read in Node.
 *
 * @param named what a file input, a drop or a request gave.
 * @example
 * ```ts
 * import { ask, browserFiles, systemClock, template } from "yoroshi";
 * import { standin } from "yoroshi/standin";
 *
 * const sum = template({ name: "sum", inputs: { note: { kind: "document" } }, task: "Sum up {{ note }}", answer: { short: { kind: "text" } } });
 * const files = browserFiles({ "note.txt": new Blob(["The pump leaks."]) });
 * const answer = await ask(sum, { note: "note.txt" }, { model: standin(), clock: systemClock(), surroundings: { sources: { files } } });
 * answer.state; // => "answered"
 * ```
 */
export function browserFiles(named: Readonly<Record<string, Blob>>): Files {
  const byHash = new Map<string, { readonly blob: Blob; readonly bytes: Uint8Array<ArrayBuffer>; readonly type: string }>();
  return {
    find: async (name, spec): Promise<SourceHandle | SourceProblem> => {
      const blob = named[name];
      if (!blob) return { problem: "names a file that is not there" };
      const bytes = new Uint8Array(await blob.arrayBuffer());
      if (bytes.length === 0) return { problem: "is an empty file" };
      const type = typeOf(bytes, blob.type);
      if (kindOf(spec.kind).source === "image" && !type.startsWith("image/")) return { problem: "is no picture (PNG, JPEG, WebP or GIF)" };
      const hash = hex(new Uint8Array(await crypto.subtle.digest("SHA-256", bytes)));
      byHash.set(hash, { blob, bytes, type });
      return { hash, type, bytes: bytes.length };
    },
    open: async ({ hash }, spec) => {
      const found = byHash.get(hash);
      if (!found) return { problem: "is not at hand any more", mayPass: true };
      const { blob, bytes, type } = found;
      if (type.startsWith("image/")) return picture(blob, type, (spec as ImageSpec).longestSide ?? DEFAULT_LONGEST_SIDE);
      if (!type.startsWith("text/")) return { problem: "is neither a picture nor plain text, and cannot be read in a page" };
      return { pages: [{ text: textOf(bytes) }], pictures: [], notes: [] };
    },
  };
}

function textOf(bytes: Uint8Array): string {
  try {
    return new TextDecoder("utf-8", { fatal: true }).decode(bytes).trim();
  } catch {
    return new TextDecoder("windows-1252").decode(bytes).trim();
  }
}

async function picture(blob: Blob, type: string, longestSide: number): Promise<Opened | SourceProblem> {
  // A page has these; where there is none, it is told.
  const page = globalThis as unknown as Partial<Page>;
  if (!page.createImageBitmap || !page.OffscreenCanvas) return { problem: "is a picture, which only a page can make ready" };
  let bitmap: Bitmap;
  try {
    bitmap = await page.createImageBitmap(blob, { imageOrientation: "from-image" });
  } catch {
    return { problem: "is a damaged picture" };
  }
  try {
    if (bitmap.width * bitmap.height > MOST_POINTS)
      return { problem: `is a picture of ${bitmap.width} x ${bitmap.height} points, at most ${MOST_POINTS / 1e6} million are read` };
    const scale = Math.min(1, longestSide / Math.max(bitmap.width, bitmap.height));
    const [width, height] = [Math.max(1, Math.round(bitmap.width * scale)), Math.max(1, Math.round(bitmap.height * scale))];
    const canvas = new page.OffscreenCanvas(width, height);
    canvas.getContext("2d").drawImage(bitmap, 0, 0, width, height);
    const made = type === "image/png" || type === "image/gif" ? "image/png" : "image/jpeg";
    const sent = await canvas.convertToBlob({ type: made, quality: JPEG_QUALITY });
    const bytes = new Uint8Array(await sent.arrayBuffer());
    const shown: Picture = {
      type: made,
      data: base64(bytes),
      width,
      height,
      bytes: bytes.length,
      hash: hex(new Uint8Array(await crypto.subtle.digest("SHA-256", bytes))),
    };
    return { pages: [], pictures: [shown], notes: [] };
  } finally {
    bitmap.close();
  }
}

const PIECE = 8_190;

function base64(bytes: Uint8Array): string {
  let text = "";
  for (let from = 0; from < bytes.length; from += PIECE) text += btoa(String.fromCharCode(...bytes.subarray(from, from + PIECE)));
  return text;
}
