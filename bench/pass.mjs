// The reference of a plain pass: reads a CSV file and writes it again. Usage: pass.mjs IN OUT
import { createReadStream, createWriteStream } from "node:fs";
import { pipeline } from "node:stream/promises";
import { parse } from "csv-parse";
import { stringify } from "csv-stringify";

const began = process.hrtime.bigint();
await pipeline(createReadStream(process.argv[2]), parse(), stringify(), createWriteStream(process.argv[3]));
console.log(JSON.stringify({ wallMs: Number(process.hrtime.bigint() - began) / 1e6 }));
