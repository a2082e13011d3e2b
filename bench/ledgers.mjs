// Answers recorded a second, with their cells and charges, 500 at a time, in the ledger's file and in PostgreSQL. One JSON line.
// Usage: node bench/ledgers.mjs FOLDER ADDRESS COUNT
import path from "node:path";
import { systemClock } from "../dist/index.js";
import { openDatabase, plainSql, postgresLedger, sqliteLedger } from "../dist/node.js";

const [, , folder, url, given] = process.argv;
const count = Number(given);
const clock = systemClock();
const answers = Array.from({ length: count }, (_, n) => ({
  fingerprint: (n * 7919 + 1).toString(16).padStart(64, "0"),
  template: "t",
  version: 1,
  model: "m",
  run: "run",
  at: 5,
  answer: {
    state: "answered",
    parts: { why: "x".repeat(80), hazard: "mooring", severity: 3 },
    raw: "y".repeat(160),
    notes: [],
    asks: 1,
    usage: { tokensIn: 900, tokensOut: 30 },
    spent: 7,
    tookMs: 9,
  },
}));
const cell = (n, fingerprint) => ({
  plan: "p",
  step: "s",
  key: `k${n}`,
  state: "filled",
  fingerprint,
  values: { hazard: "mooring", severity: 3 },
  run: "run",
  at: 5,
});
const charge = { run: "run", step: "s", model: "m", day: 5, requests: 1, tokensIn: 900, tokensOut: 30, spent: 7, unsure: 0 };
async function perSecond(ledger) {
  await ledger.runs.start({ id: "run", kind: "fill", subject: "p", startedAt: 1 });
  const began = performance.now();
  let next = 0;
  await Promise.all(
    Array.from({ length: 500 }, async () => {
      while (next < count) {
        const n = next++;
        await ledger.record({ answers: [answers[n]], cells: [cell(n, answers[n].fingerprint)], charges: [charge] });
      }
    }),
  );
  const seconds = (performance.now() - began) / 1000;
  await ledger.close();
  return count / seconds;
}
const file = await perSecond(sqliteLedger(path.join(folder, "ledger.sqlite")));
const schema = `bench_${process.pid}`;
const database = await perSecond(postgresLedger(plainSql(await openDatabase({ name: "main", url, clock })), { schema, clock }));
console.log(JSON.stringify({ file: Math.round(file), postgres: Math.round(database), schema }));
