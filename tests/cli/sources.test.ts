import { copyFileSync, existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { createServer, type Server } from "node:http";
import { once } from "node:events";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { parse } from "csv-parse/sync";
import sharp from "sharp";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { removeTempFolders, run, start, tempFolder } from "../helpers/cli.js";
import { mariadbDatabase, postgresDatabase, sqliteDatabase, type TestDatabase } from "../helpers/databases.js";
import { hostileTexts } from "../helpers/hostile.js";
import { completion, oddHost } from "../helpers/odd-host.js";

const FIXTURES = fileURLToPath(new URL("../fixtures/documents", import.meta.url));
afterAll(removeTempFolders);

/** A project of the given files. */
function project(files: Readonly<Record<string, string>>): string {
  const folder = tempFolder();
  for (const [file, text] of Object.entries({ "yoroshi.yaml": "yoroshi: project/1\n", ...files })) {
    mkdirSync(path.dirname(path.join(folder, file)), { recursive: true });
    writeFileSync(path.join(folder, file), text);
  }
  return folder;
}
const rowsOf = (folder: string, file: string): Record<string, string>[] =>
  parse(readFileSync(path.join(folder, file)), { columns: true, bom: true });
const emptyCells = async (folder: string, plan: string): Promise<Record<string, string>> => {
  const { empty } = (await run(["status", plan, "--empty", "--json"], folder)).json<{ empty: { key: string; reason: string }[] }>();
  return Object.fromEntries(empty.map(({ key, reason }) => [key, reason]));
};

describe("pictures and documents in a fill", () => {
  let folder: string;
  beforeAll(async () => {
    folder = project({
      "templates/sheet.yaml": `yoroshi: template/1
name: sheet
inputs:
  sheet: { kind: document, maxChars: 4000 }
  photo: { kind: image, required: false }
whenLong: { sheet: cut }
task: |
  What is the state of the ship? {{ sheet }} {{ photo }}
answer:
  pressure: { kind: number, unit: bar, about: The oil pressure in bar, required: false, evidence: { in: [sheet] } }
`,
      "plans/sheets.yaml": `yoroshi: plan/1
name: sheets
table: { file: sheets.csv, key: id }
steps:
  read: { template: sheet, fill: { pressure: pressure, words: pressure.quote, place: pressure.place } }
`,
      "sheets.csv": `id,sheet,photo
pdf,in/sheet.pdf,
docx,in/sheet.docx,
same,in/copy.pdf,
bomb,in/bomb.docx,
locked,in/encrypted.pdf,
gone,in/none.pdf,
out,../../../etc/passwd,
data,"data:text/plain,Oil%20pressure%204.2%20bar",
swapped,in/sheet.pdf,in/sheet.pdf
`,
    });
    mkdirSync(path.join(folder, "in"));
    for (const name of ["sheet.pdf", "sheet.docx", "bomb.docx", "encrypted.pdf"])
      copyFileSync(path.join(FIXTURES, name), path.join(folder, "in", name));
    copyFileSync(path.join(FIXTURES, "sheet.pdf"), path.join(folder, "in", "copy.pdf"));
  });

  it("reads what can be read, tells why of the rest, and asks about the same content once", async () => {
    const filled = await run(["fill", "sheets", "--json"], folder);
    expect(filled.code).toBe(1);
    expect(filled.json<{ asked: number; filled: number; failed: number }>()).toMatchObject({ asked: 3, filled: 4, failed: 5 });
    const rows = Object.fromEntries(rowsOf(folder, "sheets.filled.csv").map((row) => [row["id"], row]));
    for (const id of ["pdf", "docx", "same", "data"]) expect([id, rows[id]!["pressure"]]).toEqual([id, "4.2"]);
    expect(rows["pdf"]!["place"]).toMatch(/^page 2, characters \d+ to \d+$/);
    expect(await emptyCells(folder, "sheets")).toEqual({
      bomb: "sheet comes to more than 100 MB once it is unpacked",
      locked: "sheet is encrypted; save it without a password",
      gone: "sheet names a file that is not there",
      out: expect.stringContaining("sheet names a file that may not be read: this path leads out of the project's folder"),
      swapped: "photo is no picture (PNG, JPEG, WebP or GIF) but a PDF",
    });
  });

  it("reads and asks nothing a second time, until a file changes", async () => {
    expect((await run(["fill", "sheets", "--json"], folder)).json<{ asked: number }>()).toMatchObject({ asked: 0 });
    writeFileSync(path.join(folder, "in", "none.pdf"), readFileSync(path.join(FIXTURES, "sheet.pdf")));
    expect((await run(["fill", "sheets", "--json"], folder)).json<{ asked: number; filled: number }>()).toMatchObject({
      asked: 0,
      filled: 5,
    });
    writeFileSync(path.join(folder, "in", "copy.pdf"), "Oil pressure 3.9 bar");
    expect((await run(["fill", "sheets", "--json"], folder)).json<{ asked: number }>()).toMatchObject({ asked: 1 });
    expect(rowsOf(folder, "sheets.filled.csv").find(({ id }) => id === "same")).toMatchObject({ pressure: "3.9" });
  });

  it("shows the document's words in status, with the passage marked on its page", async () => {
    const { out } = await run(["status", "sheets", "--cell", "pdf", "--column", "pressure"], folder);
    expect(out).toMatch(/pressure {2}sheet, page 2, characters \d+ to \d+\n.*»Second page: oil pressure 4\.2 bar, signed by the chief\.«/);
    expect(out).toContain("[page 2]");
  });

  it("lets the stand-in read a picture, and says in the prompt what was sent", async () => {
    const picture = await sharp(
      Buffer.from(
        '<svg xmlns="http://www.w3.org/2000/svg" width="900" height="300"><rect width="900" height="300" fill="#fff"/><text x="60" y="180" font-size="80" font-family="DejaVu Sans, Arial">Oil 5.6 bar</text></svg>',
      ),
    )
      .png()
      .toBuffer();
    writeFileSync(path.join(folder, "in", "gauge.png"), picture);
    const tried = await run(["try", "sheet", "--input", "sheet=data:text/plain,see the picture", "--input", "photo=in/gauge.png"], folder);
    expect(tried.out).toContain("photo:\n  │ [a picture: image/png, 900 x 300 points,");
    expect(tried.out).toContain('"value":5.6');
  });
});

describe("bytes that stand in a database", () => {
  it.each([
    ["SQLite", sqliteDatabase, (hex: string) => `x'${hex}'`, "BLOB"],
    ["PostgreSQL", postgresDatabase, (hex: string) => `'\\x${hex}'::bytea`, "BYTEA"],
    ["MariaDB", mariadbDatabase, (hex: string) => `x'${hex}'`, "LONGBLOB"],
  ] as const)("are read as pictures and documents: %s", async (_, open, literal, type) => {
    const db: TestDatabase | undefined = await open();
    if (!db) return;
    const sent: { type: string; text?: string; image_url?: { url: string } }[] = [];
    const model = await oddHost((body) => {
      sent.push(...(JSON.parse(body) as { messages: { content: typeof sent }[] }).messages[1]!.content);
      return completion({}, JSON.stringify({ pull: { value: 40, quote: "Winch brake slips at 40 kN" } }));
    });
    try {
      const png = await sharp({ create: { width: 60, height: 40, channels: 3, background: "#a00" } })
        .png()
        .toBuffer();
      const sheet = readFileSync(path.join(FIXTURES, "sheet.pdf"));
      await db.run(`CREATE TABLE papers (id VARCHAR(20) PRIMARY KEY, photo ${type}, sheet ${type}, pull NUMERIC(6,2))`);
      await db.run(
        `INSERT INTO papers (id, photo, sheet) VALUES ('one', ${literal(png.toString("hex"))}, ${literal(sheet.toString("hex"))})`,
      );
      await db.run(
        `INSERT INTO papers (id, photo, sheet) VALUES ('odd', ${literal("89504e470d0a1a0a0000000d49484452")}, ${literal(sheet.toString("hex"))})`,
      );
      const folder = project({
        "yoroshi.yaml": JSON.stringify({
          yoroshi: "project/1",
          models: { quick: { endpoint: model.endpoint, id: "m", can: ["images"] } },
          databases: { deck: db.place },
          folders: "file" in db.place ? [path.dirname(db.place.file)] : [],
        }),
        "templates/sheet.yaml": `yoroshi: template/1
name: sheet
inputs: { photo: { kind: image }, sheet: { kind: document } }
task: "At what pull does the brake slip? {{ photo }} {{ sheet }}"
answer: { pull: { kind: number, unit: kN, about: The pull in kN, evidence: { in: [sheet] } } }
`,
        "plans/papers.yaml":
          "yoroshi: plan/1\nname: papers\ntable: { database: deck, table: papers, key: id }\nsteps:\n  read: { template: sheet, fill: { pull: pull } }\n",
      });
      await run(["fill", "papers", "--no-probe"], folder);
      expect((await db.run("SELECT id, pull FROM papers ORDER BY id")).map(({ id, pull }) => [id, pull && Number(pull)])).toEqual([
        ["odd", null],
        ["one", 40],
      ]);
      expect(sent.map(({ text }) => text).join("")).toContain("Winch brake");
      const [picture] = sent.filter((part) => part.image_url).map((part) => Buffer.from(part.image_url!.url.split(",")[1]!, "base64"));
      expect(await sharp(picture).metadata()).toMatchObject({ width: 60, height: 40 });
      expect((await emptyCells(folder, "papers"))["odd"]).toMatch(/^photo is .*(broken|damaged|cut|end)/);
    } finally {
      await model.close();
      await db.close();
    }
  });
});

describe("a folder as a table", () => {
  it("has a row for each file; what is attached to e-mails is rows of its own, and sums go back to the mail", async () => {
    const folder = project({
      "templates/bill.yaml": `yoroshi: template/1
name: bill
inputs: { bill: { kind: document } }
task: "What does this come to? {{ bill }}"
answer: { amount: { kind: number, currency: NZD, about: The amount in NZD, required: false } }
`,
      "plans/mails.yaml": `yoroshi: plan/1
name: mails
table: { folder: inbox, files: "**/*.eml", key: file }
related:
  bills: { table: { plan: bills }, match: { file: file }, figures: { total: { sum: amount } } }
steps:
  total: { set: { total: { cel: "row.bills.total" } } }
`,
      "plans/bills.yaml": `yoroshi: plan/1
name: bills
table: { items: { of: mails, column: attachments }, file: bills.csv, key: bill }
steps:
  read: { template: bill, inputs: { bill: item }, fill: { amount: amount } }
`,
    });
    mkdirSync(path.join(folder, "inbox", "march"), { recursive: true });
    copyFileSync(path.join(FIXTURES, "receipts.eml"), path.join(folder, "inbox", "march", "receipts.eml"));
    copyFileSync(path.join(FIXTURES, "html-only.eml"), path.join(folder, "inbox", "b.eml"));
    writeFileSync(path.join(folder, "inbox", "~$lock.eml"), "x");
    writeFileSync(path.join(folder, "inbox", "notes.txt"), "no mail");
    expect((await run(["fill", "mails", "--derived"], folder)).code).toBe(0);
    const mails = rowsOf(folder, "inbox.csv");
    expect(mails.map(({ file, from, subject, sent }) => [file, from, subject, sent])).toEqual([
      ["inbox/b.eml", "bo@marrowby.example", "HTML only", ""],
      ["inbox/march/receipts.eml", "Ana Weir <ana@marrowby.example>", "Receipts – fuel for Tern", "2026-03-02T19:15:00.000Z"],
    ]);
    const bills = rowsOf(folder, "bills.csv");
    expect(bills.map(({ bill, amount }) => [bill, amount])).toEqual([
      ["inbox/march/receipts.eml/1", expect.any(String)],
      ["inbox/march/receipts.eml/2", "88.2"],
      ["inbox/march/receipts.eml/3", ""],
    ]);
    expect((await emptyCells(folder, "bills"))["inbox/march/receipts.eml/3"]).toContain("neither a document nor a picture");
    expect(mails[1]!["attachments"]).toMatch(/\/sheet\.pdf\n.*rechnung _ März\.txt\n.*\/blob\.bin$/);
    // A mail that goes takes its rows with it; what a person wrote beside one stays.
    rmSync(path.join(folder, "inbox", "b.eml"));
    await run(["fill", "mails"], folder);
    expect(rowsOf(folder, "inbox.csv").map(({ file }) => file)).toEqual(["inbox/march/receipts.eml"]);
    rmSync(path.join(folder, "inbox"), { recursive: true });
    expect(await run(["fill", "mails"], folder)).toMatchObject({ code: 2, err: expect.stringContaining("there is no folder `inbox`") });
  });
});

const RESEARCH = {
  "yoroshi.yaml": `yoroshi: project/1
web: { use: standin, pauseSeconds: 0 }
search:
  web: { describe: "http://search.example/opensearch.xml" }
  list: { address: "http://search.example/json?q={searchTerms}&count={count}", results: hits, fields: { address: page.href, title: name } }
`,
  "templates/hours.yaml": `yoroshi: template/1
name: hours
inputs: { supplier: { kind: text } }
legwork: { search: ["{{ supplier }} opening hours"], results: 3, readPages: 4, follow: [contact], hosts: { not: [cheapspares.example] } }
task: |
  When is the shop of {{ supplier }} open?
answer:
  hours: { kind: text, about: The opening hours, maxChars: 120, evidence: { in: [found] } }
`,
  "plans/opening.yaml": `yoroshi: plan/1
name: opening
table: { file: suppliers.csv, key: id }
steps:
  look: { template: hours, fill: { hours: hours, source: hours.source, words: hours.quote } }
`,
  "suppliers.csv": "id,supplier\n1,Ostrum Safety\n2,Lanternhouse Electrics\n3,Ostrum Safety\n4,\n",
};

describe("research before answering", () => {
  it("searches, reads, chooses and cites; what was done is shown; nothing is looked up twice", async () => {
    const folder = project(RESEARCH);
    const filled = (await run(["fill", "opening", "--json"], folder)).json<{ asked: number; reused: number; skipped: number }>();
    expect(filled).toMatchObject({ asked: 2, reused: 1, skipped: 1 });
    const rows = rowsOf(folder, "suppliers.filled.csv");
    expect(rows[0]).toMatchObject({ hours: "every day 6:00 to 20:00", source: "http://ostrum-safety.example/contact" });
    expect(rows[1]).toMatchObject({ source: "http://lanternhouse.example/contact" });
    expect(rows[2]!["hours"]).toBe(rows[0]!["hours"]);
    expect((await run(["fill", "opening", "--json"], folder)).json<{ asked: number }>().asked).toBe(0);
    const { steps } = (await run(["status", "opening", "--cell", "1", "--json"], folder)).json<{
      steps: { answer: { answer: { seen: unknown[] } } }[];
    }>();
    expect(steps[0]!.answer.answer.seen).toMatchObject([
      {
        input: "found",
        steps: expect.arrayContaining([
          { did: "search", what: "Ostrum Safety opening hours", found: 3 },
          { did: "read", what: "http://ostrum-safety.example/contact", chars: 206 },
        ]),
      },
    ]);
    expect((await run(["status", "opening", "--cell", "1"], folder)).out).toMatch(/searched +Ostrum Safety opening hours: 3 found/);
  });

  it("goes by an engine's JSON as well, and says what it could not find", async () => {
    const folder = project({
      ...RESEARCH,
      "templates/hours.yaml": RESEARCH["templates/hours.yaml"].replace("results: 3,", "results: 3, engine: list,"),
    });
    expect((await run(["fill", "opening", "--rows", "1", "--json"], folder)).json<{ asked: number }>().asked).toBe(1);
    const lost = project({
      ...RESEARCH,
      "templates/hours.yaml": RESEARCH["templates/hours.yaml"].replace("results: 3,", "results: 3, engine: nowhere,"),
    });
    expect(await run(["check", "hours"], lost)).toMatchObject({
      code: 2,
      out: expect.stringContaining("There is no engine `nowhere` in yoroshi.yaml. There are: web, list."),
    });
    await run(["fill", "opening"], lost);
    expect((await emptyCells(lost, "opening"))["1"]).toContain(
      "legwork found nothing: search Ostrum Safety opening hours names the engine `nowhere`",
    );
  });

  it("warns in a trial of research that finds nothing, and grades the other rows", async () => {
    const folder = project({
      ...RESEARCH,
      "templates/hours.yaml": RESEARCH["templates/hours.yaml"].replace("{{ supplier }} opening hours", "{{ supplier }}"),
      "known.csv":
        "id,supplier,hours\n1,Ostrum Safety,every day 6:00 to 20:00\n2,Quaxtrel Zzyzzyva,at night\n3,Lanternhouse Electrics,whenever\n",
    });
    const { out } = await run(["trial", "hours", "--samples", "known.csv", "--report", "page.html"], folder);
    expect(out).toContain("hours");
    expect(out.replace(/\s+/g, " ")).toContain(
      "`legwork` found nothing for 1 of 3 rows, which is not graded. Look at one with `yoroshi try`",
    );
    expect(out).toMatch(/legwork +found nothing: search Quaxtrel/);
    expect(readFileSync(path.join(folder, "page.html"), "utf8")).toContain("found nothing for 1 of 3 rows");
  });

  it("asks a web that another process serves, which tells of each request; a further run asks nothing of it", async () => {
    const { child, done } = start(["standin", "--web"], ".");
    const address = await new Promise<string>((resolve) => child.stdout!.once("data", (chunk: Buffer) => resolve(chunk.toString().trim())));
    const folder = project({ ...RESEARCH, "yoroshi.yaml": RESEARCH["yoroshi.yaml"].replace("use: standin", `use: "${address}"`) });
    expect((await run(["fill", "opening", "--json"], folder)).json()).toMatchObject({ asked: 2, reused: 1 });
    expect((await run(["fill", "opening", "--json"], folder)).json()).toMatchObject({ asked: 0 });
    child.kill("SIGINT");
    const { code, err } = await done;
    const asked = err.split("\n").filter((line) => line.includes(".example/"));
    expect(code).toBe(0);
    expect(asked).toEqual(expect.arrayContaining(["search.example/opensearch.xml", "ostrum-safety.example/contact"]));
    expect(asked).toHaveLength(new Set(asked).size);
    expect(await run(["standin", "--web", "--rate", "5"], folder)).toMatchObject({
      code: 2,
      err: expect.stringContaining("`--rate` is for the stand-in model"),
    });
    const elsewhere = project({ ...RESEARCH, "yoroshi.yaml": "yoroshi: project/1\nweb: { use: https://proxy.example }\n" });
    expect(await run(["check"], elsewhere)).toMatchObject({ code: 2, err: expect.stringContaining("Expected standin, or where") });
  });

  it("says what is wrong with legwork", async () => {
    const wrong = (change: (text: string) => string): Promise<string> => {
      const folder = project({ ...RESEARCH, "templates/hours.yaml": change(RESEARCH["templates/hours.yaml"]) });
      return run(["check", "hours"], folder).then(({ out }) => out);
    };
    expect(await wrong((text) => text.replace("{{ supplier }} opening", "{{ suplier }} opening"))).toContain("there is no input `suplier`");
    expect(await wrong((text) => text.replace(", evidence: { in: [found] }", ""))).toContain(
      "What was looked up has to be pointed at: give a part `evidence: { in: [found] }`.",
    );
    expect(await wrong((text) => text.replace('search: ["{{ supplier }} opening hours"], ', ""))).toContain("Say what is looked up");
  });
});

describe("what is told before anything is asked", () => {
  it("warns of a model that cannot see, of pictures above what it takes, of sources without a limit; refuses evidence of a picture", async () => {
    const template = (answer: string): string => `yoroshi: template/1
name: gauge
inputs: { photo: { kind: image }, sheet: { kind: document } }
task: "Read the pressure. {{ photo }} {{ sheet }}"
answer: { bar: { kind: number${answer} } }
`;
    const yaml = (can: string): string =>
      `yoroshi: project/1\nmodels:\n  quick: { endpoint: standin, can: [${can}], pictures: { base: 80, tile: 512, perTile: 170, longestSide: 1024 } }\n`;
    const folder = project({ "yoroshi.yaml": yaml("jsonSchema"), "templates/gauge.yaml": template("") });
    const { out } = await run(["check", "gauge"], folder);
    expect(out).toContain("The model `quick` is not said to see pictures (`can: [images]`), and `photo` shows it some. [imagesNotTaken]");
    expect(out).toContain("`photo` sends pictures of up to 1,536 points a side; the model `quick` takes 1,024");
    expect(out).toContain("`sheet` has no limit");
    writeFileSync(path.join(folder, "yoroshi.yaml"), yaml("jsonSchema, images"));
    expect((await run(["check", "gauge"], folder)).out).not.toContain("imagesNotTaken");
    writeFileSync(path.join(folder, "templates", "gauge.yaml"), template(", evidence: { in: [photo] }"));
    expect((await run(["check", "gauge"], folder)).out).toContain("`photo` is a picture, in which no words can be looked for.");
  });
});

describe("pages in a fill", () => {
  const PAGE = `yoroshi: template/1
name: site
inputs: { site: { kind: page } }
task: "Which number is called in an emergency? {{ site }}"
answer: { phone: { kind: text, about: The emergency number to call, maxChars: 40, evidence: { in: [site] } } }
`;
  const PLAN = `yoroshi: plan/1
name: sites
table: { file: sites.csv, key: id }
steps:
  read: { template: site, fill: { phone: phone } }
`;

  it("takes each page's own words; one that gives orders rules no other row", async () => {
    const folder = project({
      "yoroshi.yaml": "yoroshi: project/1\nweb: { use: standin, pauseSeconds: 0 }\n",
      "templates/site.yaml": PAGE,
      "plans/sites.yaml": PLAN,
      "sites.csv": `id,site
good,http://ostrum-safety.example/contact
hostile,http://cheapspares.example
moved,http://quillshore-chandlery.example/contact
circle,http://roundabout.example
down,http://wreck.example
closed,http://members.example
local,file:///etc/passwd
`,
    });
    await run(["fill", "sites"], folder);
    const phones = Object.fromEntries(rowsOf(folder, "sites.filled.csv").map(({ id, phone }) => [id, phone]));
    expect(phones).toMatchObject({ good: "'+64 9 555 0133", moved: "'+64 9 555 0141", circle: "", down: "", closed: "", local: "" });
    const shown = await run(["try", "site", "--input", "site=http://cheapspares.example"], folder);
    // Orders stand between the marks, with all else that is data.
    expect(shown.out).toMatch(/<data-([a-z]{10}) name="site">[\s\S]*Ignore all earlier instructions[\s\S]*<\/data-\1>/);
    expect(await emptyCells(folder, "sites")).toMatchObject({
      circle: "site leads in a circle",
      down: "site could not be had: its host failed (500)",
      closed: "site is not to be read by programs: its host's robots.txt says so",
      local: "site is no address of a page, which begins with http:// or https://",
    });
  });

  it("keeps every hostile text between its marks, on a page and in a file, and its rows end as others do", async () => {
    const texts = hostileTexts();
    const words = "Smoke and flames in the engine space of the ferry. ";
    const web: Server = createServer((request, response) => {
      if (request.url === "/robots.txt") return void response.writeHead(404).end();
      const { text } = texts[Number(request.url!.slice(1))]!;
      // As it is, since a page's own markup is what such a text would use.
      response.writeHead(200, { "content-type": "text/html; charset=utf-8" });
      response.end(`<!doctype html><title>Report</title><main><p>${words}</p><p>${words}</p><p>${text}</p></main>`);
    }).listen(0, "127.0.0.1");
    await once(web, "listening");
    const seen: { role: string; content: string }[][] = [];
    const fires = { why: "smoke", topic: "fire" };
    const model = await oddHost((body) => {
      seen.push((JSON.parse(body) as { messages: { role: string; content: string }[] }).messages);
      return completion({}, JSON.stringify(fires));
    });
    const { port } = web.address() as { port: number };
    const files = (endpoint: string): Record<string, string> => ({
      "yoroshi.yaml": `yoroshi: project/1\nmodels:\n  quick: { endpoint: "${endpoint}", id: m }\nweb: { pauseSeconds: 0 }\nhosts: { allow: ["localhost:${port}"] }\n`,
      "templates/both.yaml": `yoroshi: template/1
name: both
inputs: { site: { kind: page }, paper: { kind: document } }
task: "What is the report about? {{ site }} {{ paper }}"
answer:
  why: { kind: text, maxChars: 200, about: The words that say so }
  topic: { kind: choice, options: { fire: "Smoke, flames, fire", leak: "Oil, fuel or water runs out", other: Anything else } }
`,
      "plans/all.yaml":
        "yoroshi: plan/1\nname: all\ntable: { file: all.csv, key: id }\nsteps:\n  read: { template: both, fill: { topic: topic } }\n",
      "all.csv": `id,site,paper\n${texts.map((_, index) => `${index},http://localhost:${port}/${index},papers/${index}.txt`).join("\n")}\n`,
      ...Object.fromEntries(texts.map(({ text }, index) => [`papers/${index}.txt`, `${words}\n${text}`])),
    });
    try {
      const folder = project(files(model.endpoint));
      await run(["fill", "all", "--no-probe", "--json"], folder);
      // Text has no zero bytes; all others are read.
      const zeros = texts.findIndex(({ text }) => text.includes("\0"));
      expect(await emptyCells(folder, "all")).toEqual({ [zeros]: expect.stringContaining("is a file of bytes") });
      expect(seen).toHaveLength(texts.length - 1);
      for (const messages of seen) {
        expect(messages.map(({ role }) => role)).toEqual(["system", "user"]);
        const prompt = messages[1]!.content;
        for (const name of ["site", "paper"]) {
          const mark = new RegExp(`<data-([a-z]{10}) name="${name}">`).exec(prompt)?.[1];
          expect(mark, prompt).toBeDefined();
          // Every occurrence of the mark is one of ours: it opens or ends the data of an input.
          expect(prompt.split(mark!).length - 1).toBe(prompt.match(new RegExp(`</?data-${mark}( name="(site|paper)")?>`, "g"))!.length);
        }
        expect(prompt.match(/<data-[a-z]{10} name="/g)).toHaveLength(2);
      }
      const asked = project(files("standin"));
      await run(["fill", "all"], asked);
      const topics = rowsOf(asked, "all.filled.csv").map(({ topic }) => topic!);
      for (const topic of topics) expect(["fire", "leak", "other", ""]).toContain(topic);
      const answered = topics.filter((topic) => topic !== "");
      expect(answered.length).toBeGreaterThan(texts.length * 0.9);
      expect(answered.filter((topic) => topic === "fire").length / answered.length).toBeGreaterThan(0.9);
    } finally {
      web.close();
      web.closeAllConnections();
      await model.close();
    }
  });

  it("fetches nothing twice, over a kill and further runs; says in a dry run what would be fetched", async () => {
    const asked: string[] = [];
    const server: Server = createServer((request, response) => {
      if (request.url === "/robots.txt") return void response.writeHead(404).end();
      asked.push(request.url!);
      const page = `<html><title>Page ${request.url}</title><p>Call the emergency number +64 9 555 0${request.url!.slice(-3)} at any hour, somebody answers.</p></html>`;
      setTimeout(() => response.writeHead(200, { "content-type": "text/html" }).end(page), 60);
    });
    server.listen(0, "127.0.0.1");
    await once(server, "listening");
    const { port } = server.address() as { port: number };
    try {
      const folder = project({
        "yoroshi.yaml": `yoroshi: project/1\nweb: { pauseSeconds: 0 }\nhosts: { allow: ["localhost:${port}"] }\n`,
        "templates/site.yaml": PAGE,
        "plans/sites.yaml": PLAN,
        "sites.csv": `id,site\n${Array.from({ length: 40 }, (_, index) => `${index},http://localhost:${port}/p${100 + index}`).join("\n")}\n`,
      });
      expect((await run(["fill", "sites", "--dry-run"], folder)).out).toMatch(/to fetch +40 pages/);
      expect(asked).toEqual([]);
      const { child, done } = start(["fill", "sites"], folder);
      const killing = setInterval(() => asked.length >= 15 && child.kill("SIGKILL"), 5);
      await done;
      clearInterval(killing);
      const before = asked.length;
      expect(before).toBeLessThan(40);
      expect((await run(["fill", "sites", "--json"], folder)).json<{ filled: number }>().filled).toBe(40);
      // What was under way when it was killed is fetched again, and nothing else.
      expect(asked.length - new Set(asked).size).toBeLessThanOrEqual(16);
      const all = asked.length;
      expect((await run(["fill", "sites", "--json", "--refill", "all"], folder)).json<{ filled: number }>().filled).toBe(40);
      expect(asked.length).toBe(all);
      expect(readdirSync(path.join(folder, ".yoroshi", "kept")).length).toBeGreaterThanOrEqual(40);
      // Without leave, this machine is a private network.
      writeFileSync(path.join(folder, "yoroshi.yaml"), "yoroshi: project/1\n");
      expect(existsSync(path.join(folder, "sites.filled.csv"))).toBe(true);
      expect((await run(["try", "site", "--input", `site=http://localhost:${port}/other`], folder)).out).toContain(
        "leads into a private network",
      );
    } finally {
      server.closeAllConnections();
      server.close();
    }
  });
});
