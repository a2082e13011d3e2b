/** The largest file that is read. */
export const MOST_BYTES = 64 * 1024 * 1024;
/** The most points of a picture: beyond, decoding it would take more than a gigabyte. */
export const MOST_POINTS = 100_000_000;
/** The most that the parts of a packed document may come to. */
export const MOST_UNPACKED = 100 * 1024 * 1024;
/** The most characters of a document's text. */
export const MOST_CHARS = 10_000_000;
/** Elements within elements, of HTML. */
export const MOST_DEPTH = 500;

/** Something that is wrong with a file, in words that go on from its name; not an error of ours. */
export class Unreadable extends Error {
  override readonly name = "Unreadable";
}
