/** What words mean to each other, by short vectors of their stems. */
export interface WordSense {
  /** How alike two stems are in meaning, -1 to 1; `undefined` where one is not known. */
  alike(a: string, b: string): number | undefined;
  /** How telling a stem is, 0 to 1: rare words tell more than common ones. */
  telling(stem: string): number;
}

const HEAD = 8;

/**
 * Reads the file of word vectors: how many stems, how many dimensions, the vectors in bytes, then the stems, the most frequent first.
 * Throws RangeError for bytes that are none.
 */
export function readWordSense(bytes: Uint8Array): WordSense {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const [count, dims] = [view.getUint32(0, true), view.getUint16(4, true)];
  const vectors = new Int8Array(bytes.buffer, bytes.byteOffset + HEAD, count * dims);
  const stems = new TextDecoder()
    .decode(bytes.subarray(HEAD + count * dims))
    .trim()
    .split(" ");
  if (stems.length !== count) throw new RangeError("these are no word vectors");
  const places = new Map(stems.map((stem, index) => [stem, index]));
  const lengths = new Float32Array(count);
  for (let at = 0; at < count; at++) {
    let sum = 0;
    for (let i = at * dims; i < (at + 1) * dims; i++) sum += vectors[i]! * vectors[i]!;
    lengths[at] = Math.sqrt(sum) || 1;
  }
  const kept = new Map<number, number>();
  return {
    alike(a, b) {
      const [one, other] = [places.get(a), places.get(b)];
      if (one === undefined || other === undefined) return undefined;
      const pair = one < other ? one * count + other : other * count + one;
      let alike = kept.get(pair);
      if (alike === undefined) {
        let sum = 0;
        for (let i = 0; i < dims; i++) sum += vectors[one * dims + i]! * vectors[other * dims + i]!;
        alike = sum / (lengths[one]! * lengths[other]!);
        if (kept.size > MOST_KEPT) kept.clear();
        kept.set(pair, alike);
      }
      return alike;
    },
    telling: (stem) => {
      const place = places.get(stem);
      return place === undefined ? 0.9 : Math.min(1, Math.log(20 + place) / Math.log(count));
    },
  };
}

const MOST_KEPT = 200_000;
