import { createHash } from "node:crypto";
import { imageSize } from "image-size";
import type sharpPackage from "sharp";
import type { Picture } from "../../core/index.js";
import { MOST_POINTS, Unreadable } from "./limits.js";

const JPEG_QUALITY = 85;

/** A picture's size in points, from its first bytes: nothing is decoded. */
export function sizeOf(bytes: Uint8Array): { readonly width: number; readonly height: number } {
  let size: { width: number; height: number };
  try {
    size = imageSize(bytes);
  } catch {
    throw new Unreadable("is a damaged picture");
  }
  const { width, height } = size;
  if (!(width > 0 && height > 0)) throw new Unreadable("is a damaged picture");
  if (width * height > MOST_POINTS)
    throw new Unreadable(`is a picture of ${width} x ${height} points, at most ${MOST_POINTS / 1e6} million are read`);
  return { width, height };
}

export function pictureOf(bytes: Uint8Array, type: string, width: number, height: number, page?: number): Picture {
  return {
    type,
    data: Buffer.from(bytes).toString("base64"),
    width,
    height,
    bytes: bytes.length,
    hash: createHash("sha256").update(bytes).digest("hex"),
    ...(page === undefined ? {} : { page }),
  };
}

/** Turned as its camera says, its longest side scaled down, without what was written beside it. */
export async function readyPicture(bytes: Uint8Array, type: string, longestSide: number): Promise<Picture> {
  sizeOf(bytes);
  const sharp = await loadSharp();
  try {
    const image = sharp(bytes, { limitInputPixels: MOST_POINTS, failOn: "error" })
      .autoOrient()
      .resize({ width: longestSide, height: longestSide, fit: "inside", withoutEnlargement: true });
    // Drawings stay sharp as PNG; photographs, and what would be too large so, are JPEG.
    const asPng = type === "image/png" || type === "image/gif";
    const made = await (asPng ? image.png({ compressionLevel: 8 }) : image.jpeg({ quality: JPEG_QUALITY })).toBuffer({
      resolveWithObject: true,
    });
    if (!asPng || made.data.length <= MOST_PNG_BYTES)
      return pictureOf(made.data, asPng ? "image/png" : "image/jpeg", made.info.width, made.info.height);
    const jpeg = await sharp(made.data).flatten({ background: "#fff" }).jpeg({ quality: JPEG_QUALITY }).toBuffer();
    return pictureOf(jpeg, "image/jpeg", made.info.width, made.info.height);
  } catch (error) {
    throw new Unreadable(`is a damaged picture`, { cause: error });
  }
}

const MOST_PNG_BYTES = 1_500_000;

type Sharp = typeof sharpPackage;
let loaded: Sharp | undefined;

async function loadSharp(): Promise<Sharp> {
  if (loaded) return loaded;
  try {
    ({ default: loaded } = await import("sharp"));
  } catch {
    throw new Unreadable("is a picture, and the package that makes pictures ready is not installed: npm install sharp");
  }
  // Several processes read at once; threads of one more would only wait for each other.
  loaded.concurrency(1);
  loaded.cache(false);
  return loaded;
}
