import type { Picture, TextPage } from "../../core/index.js";
import { Unreadable } from "./limits.js";
import type { ReadHow } from "./read-how.js";
import { pictureOf } from "./pictures.js";

export interface PdfContent {
  readonly pages: TextPage[];
  readonly pictures: Picture[];
  readonly notes: string[];
}

interface TextItem {
  readonly str?: string;
  readonly hasEOL?: boolean;
}

/** What of the library is used: `unpdf` and `pdfjs-dist` give the same. */
interface PdfPage {
  getTextContent(): Promise<{ readonly items: readonly TextItem[] }>;
  getOperatorList(): Promise<{ readonly fnArray: readonly number[] }>;
  getViewport(options: { scale: number }): { readonly width: number; readonly height: number };
  render(options: object): { readonly promise: Promise<void> };
  cleanup(): void;
}
interface PdfFile {
  readonly numPages: number;
  getPage(page: number): Promise<PdfPage>;
  destroy(): Promise<void>;
}

/** pdf.js's number for painting a picture. */
const PAINT_IMAGE = 85;

/** The pages that are read: as the spec names them, at most as many as it allows. */
export function chosenPages(count: number, ranges: ReadHow["ranges"], most: number): number[] {
  const chosen = ranges
    ? ranges.flatMap(({ from, to }) => Array.from({ length: Math.max(0, Math.min(to, count) - from + 1) }, (_, index) => from + index))
    : undefined;
  const wanted = chosen ? [...new Set(chosen)] : undefined;
  if (wanted && wanted.length === 0)
    throw new Unreadable(`has ${count} ${count === 1 ? "page" : "pages"}, and none of those that are named`);
  if ((wanted?.length ?? count) > most)
    throw new Unreadable(`has ${wanted?.length ?? count} pages, at most ${most} are read; name some with \`pages\`, or raise \`maxPages\``);
  return wanted ?? Array.from({ length: count }, (_, index) => index + 1);
}

export async function readPdf(
  bytes: Uint8Array,
  { as, longestSide }: Pick<ReadHow, "as" | "longestSide">,
  pagesOf: (count: number) => readonly number[],
): Promise<PdfContent> {
  const { getDocumentProxy } = await import("unpdf");
  // Two packages, one library: what is used of it is the same.
  const file = (await open(() => getDocumentProxy(new Uint8Array(bytes), { verbosity: 0 }))) as unknown as PdfFile;
  const pages: TextPage[] = [];
  const notes: string[] = [];
  const drawn: number[] = [];
  try {
    for (const number of pagesOf(file.numPages)) {
      const page = await file.getPage(number);
      const text = as === "images" ? "" : textOf((await page.getTextContent()).items);
      if (text !== "") pages.push({ page: number, text });
      // A page of no words that paints a picture was scanned.
      const isScanned = text === "" && as === "text" && (await page.getOperatorList()).fnArray.includes(PAINT_IMAGE);
      if (as !== "text" || isScanned) drawn.push(number);
      if (isScanned) notes.push(`page ${number} is a mere picture, and is shown as one`);
      page.cleanup();
    }
  } catch (error) {
    throw error instanceof Unreadable ? error : new Unreadable("is a damaged PDF", { cause: error });
  } finally {
    await file.destroy();
  }
  return { pages, notes, pictures: drawn.length > 0 ? await drawPages(bytes, drawn, longestSide) : [] };
}

async function open<File>(opening: () => Promise<File>): Promise<File> {
  try {
    return await opening();
  } catch (error) {
    const { name } = error as Error;
    if (name === "PasswordException") throw new Unreadable("is encrypted; save it without a password", { cause: error });
    if (/^(InvalidPDF|MissingPDF|Format|XRef|UnknownError)/.test(name)) throw new Unreadable("is a damaged PDF", { cause: error });
    throw error;
  }
}

/** Words in the order of the page, a line for each of its lines. */
function textOf(items: readonly TextItem[]): string {
  let text = "";
  for (const { str = "", hasEOL } of items) text += hasEOL ? `${str}\n` : str;
  return text
    .replace(/[ \t]+\n/g, "\n")
    .replace(/\n{3,}/g, "\n\n")
    .trim();
}

/** Pictures of pages, by a library that not everybody needs. */
async function drawPages(bytes: Uint8Array, numbers: readonly number[], longestSide: number): Promise<Picture[]> {
  const { createCanvas, getDocument } = await loadDrawing();
  // Two packages, one library: what is used of it is the same.
  const file = (await open(() => getDocument({ data: new Uint8Array(bytes), verbosity: 0 }).promise)) as unknown as PdfFile;
  try {
    const pictures: Picture[] = [];
    for (const number of numbers) {
      const page = await file.getPage(number);
      const { width, height } = page.getViewport({ scale: 1 });
      const viewport = page.getViewport({ scale: longestSide / Math.max(width, height) });
      const canvas = createCanvas(Math.ceil(viewport.width), Math.ceil(viewport.height));
      const context = canvas.getContext("2d");
      context.fillStyle = "#fff";
      context.fillRect(0, 0, canvas.width, canvas.height);
      await page.render({ canvasContext: context, canvas, viewport }).promise;
      pictures.push(pictureOf(await canvas.encode("jpeg", 85), "image/jpeg", canvas.width, canvas.height, number));
      page.cleanup();
    }
    return pictures;
  } catch (error) {
    throw error instanceof Unreadable ? error : new Unreadable("is a damaged PDF", { cause: error });
  } finally {
    await file.destroy();
  }
}

async function loadDrawing() {
  try {
    const [{ createCanvas }, { getDocument }] = await Promise.all([import("@napi-rs/canvas"), import("pdfjs-dist/legacy/build/pdf.mjs")]);
    return { createCanvas, getDocument };
  } catch (error) {
    throw new Unreadable(
      "has pages that are pictures, and the packages that draw them are not installed: npm install pdfjs-dist @napi-rs/canvas",
      { cause: error },
    );
  }
}
