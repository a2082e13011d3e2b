// Prints how long it takes to show the next of so many held rows, in milliseconds: with the project's files read, as a sitting does it.
import { mkdirSync, writeFileSync } from "node:fs";
import path from "node:path";
import { jobs, openProject, runJob, sqliteLedger } from "yoroshi/node";

const [folder, count] = [process.argv[2], Number(process.argv[3])];
mkdirSync(path.join(folder, ".yoroshi"), { recursive: true });
const ledger = sqliteLedger(path.join(folder, ".yoroshi/ledger.sqlite"));
const note = "A line parted at the aft bitts while berthing; nobody stood near it, the tail went into the water. ".repeat(5);
for (let from = 0; from < count; from += 1_000)
  await ledger.record({
    cells: Array.from({ length: 1_000 }, (_, index) => ({
      plan: "log",
      step: "sort",
      key: `N-${String(from + index).padStart(7, "0")}`,
      state: "held",
      reason: { code: "held", rules: ["grave"] },
      fingerprint: String(from + index).padStart(64, "0"),
      values: {},
      held: {
        values: { topic: "fire", level: index % 5 },
        by: { grave: ["topic", "level"] },
        since: 1,
        row: { note: `${from + index} ${note}` },
        place: `row ${from + index}`,
        like: String(index % 5),
      },
      run: "r",
      at: 1,
    })),
  });
await ledger.close();
writeFileSync(path.join(folder, "log.csv"), "id,note\nN-0,x\n");
const project = await openProject({ cwd: folder });
const times = [];
let after;
for (let turn = 0; turn < 60; turn++) {
  const began = performance.now();
  const { rows } = await runJob(jobs.readReview, project, { plan: "log", after, limit: 1 });
  times.push(performance.now() - began);
  after = { step: rows[0].step, key: turn % 2 === 0 ? rows[0].key : `N-${String(Math.floor((count * turn) / 60)).padStart(7, "0")}` };
}
await project.close();
const openingMs = times.shift();
times.sort((a, b) => a - b);
console.log(JSON.stringify({ openingMs, medianMs: times[30], slowestMs: times.at(-1) }));
