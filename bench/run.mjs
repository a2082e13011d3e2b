// Benchmarks, one JSON line each: a figure as a ratio against a reference measured in the same run, and its target.
// Usage: npm run bench [-- NAME …]
import { spawn, spawnSync } from "node:child_process";
import { appendFileSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { strToU8, zipSync } from "fflate";

const here = path.dirname(fileURLToPath(import.meta.url));
const root = mkdtempSync(path.join(tmpdir(), "yoroshi-bench-"));
process.on("exit", () => rmSync(root, { recursive: true, force: true }));

/** The database that benches of many workers use. */
const address = () => process.env.DATABASE_URL ?? "postgresql://postgres@127.0.0.1:5432/postgres";

const NOTES = [
  "smoke in the galley and a burning smell behind the dryer",
  "oil on the water astern, a thin film, source not known",
  "the port motor stopped twice on the crossing and was restarted",
  "a parcel for the office was left with the purser",
];

const BENCHES = {
  /** Wall time of 10,000 rows at 200 ms, 50 at once, against rows x latency / at once; beside it what a bare loop reaches. */
  async schedule() {
    await schedule("schedule", 10_000, 50, ">= 0.955");
  },
  /** The same with 500 at once. */
  async schedule500() {
    await schedule("schedule500", 25_000, 500, ">= 0.95");
  },
  /** How soon a row that is inserted into PostgreSQL is asked about; the share of a processor that 1,000,000 unchanged rows cost. */
  async watch() {
    const { byNotices, byColumn } = await json(["bench/watch.mjs", "1000000", "20"]);
    report("watch insert", byNotices.medianMs, "<= 500", byNotices);
    report("watch idle notices", byNotices.cpuShare, "<= 0.01", {});
    report("watch idle column", byColumn.cpuShare, "<= 0.01", byColumn);
  },
  /** A report on 1,000,000 rows, and a question over them, whose reading is known. */
  async counted() {
    const made = await json(["bench/counted.mjs", "1000000"]);
    report("report seconds", made.report.seconds, "<= 20", made.report);
    report("report memory", made.report.peakMb, "<= 300", {});
    report("ask seconds", made.ask.seconds, "<= 10", made.ask);
  },
  /** 200 PDFs of 20 pages to text, against the library alone in as many processes; evidence in 50 kB; a page of 150 kB. */
  async sources() {
    const folder = mkdtempSync(path.join(root, "sources-"));
    const pdf = await json(["bench/sources.mjs", folder, "pdf"]);
    report("documents", pdf.ratio, ">= 0.8", pdf);
    const evidence = await json(["bench/sources.mjs", folder, "evidence"]);
    report("evidence found", evidence.findMs, "<= 3", evidence);
    report("evidence folded", evidence.foldMs, "<= 15", {});
    const page = await json(["bench/sources.mjs", folder, "page"]);
    report("page", page.cpuMs, "<= 150", page);
  },
  /** Peak memory of a fill over 2,000 pictures of about 4 MB each, processes that read them included. */
  async pictures() {
    const made = await json(["bench/pictures.mjs", mkdtempSync(path.join(root, "pictures-")), "2000"]);
    report("pictures", made.peakMb, "<= 500", made);
  },
  /** Peak memory of a workbook of 100,000 rows by 10 columns filled with 2 columns, 0 ms server. */
  async workbook() {
    const server = await lean(0);
    const folder = project(1, server.endpoint, 50);
    writeFileSync(path.join(folder, "log.xlsx"), bigWorkbook(100_000));
    rewrite(path.join(folder, "plans/log.yaml"), (text) => text.replace("log.csv", "log.xlsx").replace(", because: why", ""));
    const took = await fill(folder);
    server.close();
    report("workbook", took.peakMb, "<= 150", { wallMs: took.wallMs, rowsASecond: 100_000 / (took.wallMs / 1000) });
  },
  /** The next of 100,000 held rows, in milliseconds; the slowest of 60. */
  async review() {
    const made = await json(["bench/review.mjs", project(1, "standin", 8), "100000"]);
    report("review", made.slowestMs, "<= 50", made);
  },
  /**
   * A page of 200 rows of a table of 100,000, sorted and filtered, in milliseconds: the slowest of several next pages. Beside it
   * the slowest first page of a new order or search, and the reading of the table itself.
   */
  async page() {
    for (const form of ["csv", "xlsx"]) {
      const server = await lean(0);
      const folder = project(100_000, server.endpoint, 50);
      if (form === "xlsx") {
        writeFileSync(path.join(folder, "log.xlsx"), bigWorkbook(100_000));
        rewrite(path.join(folder, "plans/log.yaml"), (text) => text.replace("log.csv", "log.xlsx").replace(", because: why", ""));
      }
      await fill(folder);
      const took = await json(["bench/serve.mjs", "page", folder]);
      server.close();
      report(`page ${form}`, took.slowestMs, "<= 100", {
        rows: took.rows,
        firstMs: took.firstMs,
        slowestNewMs: took.slowestNewMs,
      });
    }
  },
  /** Known answers a second for 500 clients, against the bare framework with the same JSON. */
  async known() {
    const took = await json(["bench/serve.mjs", "known", project(1, "standin", 8)]);
    report("known", took.ratio, ">= 0.5", took);
  },
  /** New answers at 200 ms for 200 clients, against the ideal schedule. */
  async clients() {
    const server = await lean(200);
    const folder = project(1, server.endpoint, 200);
    rewrite(path.join(folder, "yoroshi.yaml"), (text) => text.replace("id: lean,", "id: lean, limits: { atOnce: 200 },"));
    const took = await json(["bench/serve.mjs", "new", folder]);
    server.close();
    report("clients", took.ratio, ">= 0.9", took);
  },
  /** From a change to a listener's event, in milliseconds. */
  async event() {
    const folder = project(100, "standin", 8);
    await fill(folder);
    const took = await json(["bench/serve.mjs", "event", folder]);
    report("event", took.slowestMs, "<= 200", took);
  },
  /** A known answer over HTTP, one after another, in milliseconds. */
  async answer() {
    const took = await json(["bench/serve.mjs", "one", project(1, "standin", 8)]);
    report("answer", took.msEach, "<= 2", took);
  },
  /**
   * The desk in a real browser: its first page from the command on, a prompt from the key on, a table of 100,000 rows, frames while it is
   * scrolled, and the same while 50 answers a second arrive. Needs Chromium.
   */
  async desk() {
    const server = await lean(0);
    const big = project(100_000, server.endpoint, 50);
    await fill(big);
    server.close();
    const slow = await lean(200);
    const demo = path.join(root, "marrowby");
    spawnSync(process.execPath, ["dist/bin/yoroshi.js", "demo", demo], { stdio: "ignore" });
    rewrite(path.join(big, "plans/log.yaml"), (text) => text.replace("atOnce: 50", "atOnce: 10"));
    const took = await json(["bench/desk.mjs", demo, big, slow.endpoint]);
    slow.close();
    report("desk first page", took.firstPageMs, "<= 1500", { upMs: took.upMs });
    report("desk prompt", took.typedMs, "<= 100", { slowestMs: took.slowestTypedMs });
    report("desk table", took.firstRowsMs, "<= 2000", { wholeMs: took.wholeMs });
    report("desk frames", took.worstFrameMs, "<= 150", { arrivingMs: took.arrivingWorstFrameMs });
    report("desk arriving", took.arrivingMeanFrameMs / took.meanFrameMs, "<= 1.1", { answersASecond: took.answersASecond });
  },
  /** Until `start` asks its first question about a workbook of 100,000 rows by 40 columns, in seconds; and its peak memory. */
  async start() {
    const folder = mkdtempSync(path.join(root, "start-"));
    writeFileSync(path.join(folder, "log.xlsx"), bigWorkbook(100_000, 30));
    const began = performance.now();
    const child = spawn(process.execPath, [path.join(here, "measured.mjs"), "start", path.join(folder, "log.xlsx")], {
      stdio: ["pipe", "pipe", "pipe"],
    });
    let firstMs;
    let err = "";
    let out = "";
    child.stdout.on("data", (data) => (out += data));
    child.stderr.on("data", (data) => {
      err += data;
      if (firstMs === undefined && err.includes("What is to be filled?")) {
        firstMs = performance.now() - began;
        child.stdin.end("\n\n\n\n\n");
      }
    });
    await new Promise((resolve) => child.on("close", resolve));
    const { peakMb, wallMs } = JSON.parse(/\{"wallMs.*\}/.exec(out)?.[0] ?? "{}");
    report("start", firstMs / 1_000, "<= 5", { peakMb, wallMs, targetMb: 300 });
  },
  /** Answers recorded a second, with cells and charges, in PostgreSQL. */
  async ledgers() {
    const made = await json(["bench/ledgers.mjs", mkdtempSync(path.join(root, "ledgers-")), address(), "50000"]);
    report("ledger in PostgreSQL", made.postgres, ">= 5000", made);
  },
  /** Two workers over one, 50 at once each; processor time of a spread fill over that of one process; and with nothing to wait for. */
  async spread() {
    const made = await json(["bench/spread.mjs", mkdtempSync(path.join(root, "spread-")), address(), "6000", "200", "50"]);
    report("two workers", made.ratio, ">= 1.9", made);
    report("spread processor time", made.cpuRatio, "<= 1.3", {});
    // Nothing to wait for: what the processors give.
    const bound = await json(["bench/spread.mjs", mkdtempSync(path.join(root, "bound-")), address(), "10000", "0", "50"]);
    report("spread, processor-bound", bound.one.asking / bound.two.asking, ">= 0", bound);
  },
  /** Four workers on one limit of requests a minute. */
  async sharedLimit() {
    const made = await json(["bench/shared-limit.mjs", mkdtempSync(path.join(root, "limit-")), address(), "1200"]);
    report("shared limit used", made.used, ">= 0.95", made);
    report("shared limit refused", made.refused, "<= 0.01", {});
  },
  /** 100,000 rows of three columns written back to PostgreSQL, against bare batched UPDATEs of the same values. */
  async postgres() {
    const made = await json(["bench/postgres.mjs"]);
    report("postgres", made.bareMs / made.ownMs, ">= 1", made);
  },
  /** Peak memory of a million rows, 0 ms server; only when it is named, for it takes minutes. */
  async million() {
    const server = await lean(0);
    const folder = project(1_000_000, server.endpoint, 50);
    const took = await fill(folder);
    report("million", took.peakMb, "<= 250", { wallMs: took.wallMs, rowsASecond: 1e9 / took.wallMs });
    const before = await server.count();
    const again = await fill(folder);
    const requests = (await server.count()) - before;
    server.close();
    const pass = await json(["bench/pass.mjs", path.join(folder, "log.csv"), path.join(folder, "pass.csv")]);
    report("million again", again.wallMs / pass.wallMs, "<= 2", { wallMs: again.wallMs, passMs: pass.wallMs, requests });
  },
  /** CPU a row against the hand-written loop, both at 10 ms and 50 at once. */
  async cpu() {
    await cpu("cpu", 5_000, "<= 0.45");
  },
  /** The same with so many rows that starting counts for little. */
  async cpu20000() {
    await cpu("cpu20000", 20_000, "<= 0.38");
  },
  /** Peak memory of a 200,000-row fill against that of a 10,000-row fill, 0 ms server. */
  async memory() {
    const server = await lean(0);
    const small = await fill(project(10_000, server.endpoint, 50));
    const large = await fill(project(200_000, server.endpoint, 50));
    server.close();
    report("memory", large.peakMb / small.peakMb, "<= 1.3", {
      smallMb: small.peakMb,
      largeMb: large.peakMb,
      largeRowsASecond: 200_000 / (large.wallMs / 1000),
    });
  },
  /** A re-run on 200,000 unchanged rows against one read-and-write pass of the same file. */
  async rerun() {
    const server = await lean(0);
    const folder = project(200_000, server.endpoint, 50);
    await fill(folder);
    const before = await server.count();
    const again = await fill(folder);
    const requests = (await server.count()) - before;
    appendFileSync(path.join(folder, "log.csv"), "N-new,MV Kestrel,2026-08-01,bosun,One more note of smoke.\n");
    const touched = await fill(folder);
    server.close();
    const pass = await json(["bench/pass.mjs", path.join(folder, "log.csv"), path.join(folder, "pass.csv")]);
    report("rerun", again.wallMs / pass.wallMs, "<= 2", {
      wallMs: again.wallMs,
      passMs: pass.wallMs,
      requests,
      oneRowAddedRatio: touched.wallMs / pass.wallMs,
    });
  },
  /** `yoroshi --help` against `node -e 0`, medians of whole processes. */
  async help() {
    const help = median(() => timed(["dist/bin/yoroshi.js", "--help"]));
    const node = median(() => timed(["-e", "0"]));
    report("help", help / node, "<= 3", { helpMs: help, nodeMs: node });
  },
};

async function cpu(name, rows, target) {
  const server = await lean(10);
  const folder = project(rows, server.endpoint, 50);
  const own = await fill(folder);
  const hand = await json(["bench/hand-written.mjs", server.endpoint, path.join(folder, "log.csv"), path.join(folder, "hand.csv"), "50"]);
  server.close();
  report(name, own.cpuMs / hand.cpuMs, target, { cpuMsARow: own.cpuMs / rows, handWrittenCpuMsARow: hand.cpuMs / rows });
}

async function schedule(name, rows, atOnce, target) {
  const server = await lean(200);
  const took = await fill(project(rows, server.endpoint, atOnce));
  const bare = await json(["bench/bare.mjs", server.endpoint, String(rows), String(atOnce)]);
  server.close();
  const idealMs = (rows * 200) / atOnce;
  report(name, idealMs / took.wallMs, target, {
    idealMs,
    wallMs: took.wallMs,
    bareRatio: idealMs / bare.wallMs,
    againstBare: bare.wallMs / took.wallMs,
  });
}

const LONG = new Set(["million"]);
for (const name of process.argv.slice(2).length > 0 ? process.argv.slice(2) : Object.keys(BENCHES).filter((bench) => !LONG.has(bench)))
  await BENCHES[name]();

function report(name, ratio, target, figures) {
  const [sign, bound] = target.split(" ");
  const met = sign === ">=" ? ratio >= Number(bound) : ratio <= Number(bound);
  console.log(
    JSON.stringify({
      bench: name,
      ratio: round(ratio),
      target,
      met,
      ...Object.fromEntries(Object.entries(figures).map(([key, value]) => [key, round(value)])),
    }),
  );
}

function round(value) {
  return typeof value === "number" ? Number(value.toPrecision(4)) : value;
}

/** A project with a table of distinct notes. */
function project(rows, endpoint, atOnce) {
  const folder = mkdtempSync(path.join(root, "p-"));
  for (const sub of ["templates", "plans"]) mkdirSync(path.join(folder, sub));
  writeFileSync(
    path.join(folder, "yoroshi.yaml"),
    `yoroshi: project/1\nmodels: { quick: { endpoint: "${endpoint}", id: lean, price: { input: 0.15, output: 0.6 } } }\n`,
  );
  writeFileSync(
    path.join(folder, "templates/sort.yaml"),
    "yoroshi: template/1\nname: sort\ninputs: { note: { kind: text, maxChars: 2000 } }\nrole: You sort notes.\ntask: |\n  What is this note about, and how bad is it?\n  {{ note }}\nanswer:\n  why: { kind: text, maxChars: 100 }\n  topic: { kind: choice, options: [fire, spill, engine], otherwise: other }\n  level: { kind: score, from: 1, to: 5 }\n",
  );
  writeFileSync(
    path.join(folder, "plans/log.yaml"),
    `yoroshi: plan/1\nname: log\ntable: { file: log.csv, key: id }\nsteps: { sort: { template: sort, inputs: { note: note }, fill: { topic: topic, level: level, because: why } } }\nlimits: { atOnce: ${atOnce} }\n`,
  );
  const lines = Array.from(
    { length: rows },
    (_, i) =>
      `N-${i},MV Kestrel,2026-08-${String((i % 28) + 1).padStart(2, "0")},bosun,"Note ${i}: ${NOTES[i % NOTES.length]}, seen at ${i % 24} o'clock."`,
  );
  writeFileSync(path.join(folder, "log.csv"), `id,vessel,day,writer,note\n${lines.join("\n")}\n`);
  return folder;
}

function rewrite(file, change) {
  writeFileSync(file, change(readFileSync(file, "utf8")));
}

/** A workbook of one sheet: an id, a note, and eight more columns of texts and numbers. */
function bigWorkbook(rows, more = 0) {
  const main = "http://schemas.openxmlformats.org/spreadsheetml/2006/main";
  const links = "http://schemas.openxmlformats.org/officeDocument/2006/relationships";
  const further = Array.from({ length: more }, (_, index) => index);
  const letters = (i) => (i < 26 ? "" : String.fromCharCode(64 + Math.floor(i / 26))) + String.fromCharCode(65 + (i % 26));
  const text = (value) => `<is><t>${value}</t></is>`;
  const cells = (row, values) =>
    `<row r="${row}">${values.map((value, i) => (typeof value === "number" ? `<c r="${letters(i)}${row}"><v>${value}</v></c>` : `<c r="${letters(i)}${row}" t="inlineStr">${text(value)}</c>`)).join("")}</row>`;
  const lines = [cells(1, ["id", "note", "c1", "c2", "c3", "c4", "c5", "c6", "c7", "c8", ...further.map((n) => `d${n}`)])];
  for (let i = 0; i < rows; i++)
    lines.push(
      cells(i + 2, [
        `N-${i}`,
        `Note ${i}: ${NOTES[i % NOTES.length]}, seen at ${i % 24} o'clock.`,
        i,
        i * 1.5,
        "open",
        `x${i % 100}`,
        i % 7,
        "port",
        3,
        "MV Kestrel",
        ...further.map((n) => (n % 2 ? (i * n) % 97 : `w${(i * n) % 13}`)),
      ]),
    );
  return Buffer.from(
    zipSync({
      "[Content_Types].xml": strToU8(
        '<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/></Types>',
      ),
      "_rels/.rels": strToU8(
        `<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="${links}/officeDocument" Target="xl/workbook.xml"/></Relationships>`,
      ),
      "xl/workbook.xml": strToU8(
        `<workbook xmlns="${main}" xmlns:r="${links}"><sheets><sheet name="Log" sheetId="1" r:id="r1"/></sheets></workbook>`,
      ),
      "xl/_rels/workbook.xml.rels": strToU8(
        `<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="${links}/worksheet" Target="worksheets/sheet1.xml"/></Relationships>`,
      ),
      "xl/worksheets/sheet1.xml": strToU8(
        `<worksheet xmlns="${main}"><dimension ref="A1:J${rows + 1}"/><sheetData>${lines.join("")}</sheetData></worksheet>`,
      ),
    }),
  );
}

/** The flags that the command's own first line gives to Node. */
function ownFlags() {
  const [first] = readFileSync(path.join(here, "../dist/bin/yoroshi.js"), "utf8").split("\n");
  return first.split(" ").filter((word) => word.startsWith("--"));
}

function fill(folder) {
  return json([...ownFlags(), "bench/measured.mjs", "fill", "log", "--json", "--project", folder]);
}

/** Runs a script and reads its last line. */
function json(args) {
  return new Promise((resolve, reject) => {
    const child = spawn(process.execPath, args, { cwd: path.join(here, ".."), stdio: ["ignore", "pipe", "inherit"] });
    let out = "";
    child.stdout.on("data", (chunk) => (out += chunk));
    child.on("close", (code) =>
      code === 0 ? resolve(JSON.parse(out.trim().split("\n").at(-1))) : reject(new Error(`${args.join(" ")} ended with ${code}\n${out}`)),
    );
  });
}

async function lean(latencyMs) {
  const child = spawn(process.execPath, ["bench/lean-server.mjs", String(latencyMs)], {
    cwd: path.join(here, ".."),
    stdio: ["pipe", "pipe", "inherit"],
  });
  const line = () => new Promise((resolve) => child.stdout.once("data", (chunk) => resolve(chunk.toString().trim())));
  const endpoint = await line();
  return {
    endpoint,
    count: () => {
      const answer = line();
      child.stdin.write("count\n");
      return answer.then(Number);
    },
    close: () => child.kill(),
  };
}

function timed(args) {
  const began = process.hrtime.bigint();
  spawnSync(process.execPath, args, { cwd: path.join(here, "..") });
  return Number(process.hrtime.bigint() - began) / 1e6;
}

function median(measure) {
  const all = Array.from({ length: 11 }, measure).sort((a, b) => a - b);
  return all[5];
}
