import { createRequire } from "node:module";
import {
  copyFileSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  symlinkSync,
  utimesSync,
  writeFileSync,
} from "node:fs";
import { tmpdir } from "node:os";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { deflateSync, crc32 } from "node:zlib";
import Pdf from "pdfkit";
import sharp from "sharp";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { fileReader, sourceFiles, type FileReader, type KnownFile } from "../../src/adapters/source-files/index.js";
import { isProblem, type Files, type Opened, type SourceHandle, type SourceSpec } from "../../src/core/index.js";

const FIXTURES = fileURLToPath(new URL("../fixtures/documents", import.meta.url));
const CHILD = fileURLToPath(new URL("../../dist/adapters/source-files/child.js", import.meta.url));
const DOCUMENT: SourceSpec = { kind: "document" };
const IMAGE: SourceSpec = { kind: "image" };
const NO_NET = { mayFetch: false };

let folder: string;
let reader: FileReader;
let looks: number;
let files: Files;
beforeAll(() => {
  folder = mkdtempSync(path.join(tmpdir(), "yoroshi-files-"));
  reader = fileReader({ child: CHILD, processes: 2 });
  files = filesOf(reader);
});
afterAll(() => {
  reader.close();
  rmSync(folder, { recursive: true, force: true });
});

function filesOf(own: FileReader): Files {
  const known = new Map<string, KnownFile>();
  looks = 0;
  return sourceFiles({
    reader: own,
    place: (file) => path.resolve(FIXTURES, file),
    keptFolder: path.join(folder, "kept"),
    known: { get: async (place) => known.get(place), set: async (place, one) => (looks++, void known.set(place, one)) },
  });
}

const readAs = async (spec: SourceSpec, name: string, from = files): Promise<Opened | string> => {
  const found = await from.find(name, spec, NO_NET);
  if (found === undefined) return "(to be fetched)";
  if (isProblem(found)) return found.problem;
  const opened = await from.open(found, spec);
  return isProblem(opened) ? opened.problem : opened;
};
/** Said in a word, since a reader that fails to be ended has hundreds of pages to print. */
const pagesOrProblem = (opened: Opened | string): number | string => (typeof opened === "string" ? opened : opened.pages.length);
/** The processes that another one has begun. */
const childrenOf = (pid: number): string[] =>
  readdirSync(`/proc/${pid}/task`).flatMap((task) => readFileSync(`/proc/${pid}/task/${task}/children`, "utf8").split(" ").filter(Boolean));
const textOf = async (name: string, spec = DOCUMENT): Promise<string> => {
  const opened = await readAs(spec, name);
  return typeof opened === "string" ? `! ${opened}` : opened.pages.map(({ text }) => text).join("\f");
};
const put = (name: string, bytes: Uint8Array | string): string => {
  const file = path.join(folder, name);
  writeFileSync(file, bytes);
  return file;
};
const pdf = (pages: number, options: object, page: (doc: PDFKit.PDFDocument, index: number) => void): Promise<Buffer> =>
  new Promise((resolve) => {
    const doc = new Pdf({ autoFirstPage: false, ...options });
    const pieces: Buffer[] = [];
    doc.on("data", (piece: Buffer) => pieces.push(piece));
    doc.on("end", () => resolve(Buffer.concat(pieces)));
    for (let index = 0; index < pages; index++) page(doc.addPage(), index);
    doc.end();
  });

describe("documents of other programs", () => {
  it("are read with their pages, tables and lists", async () => {
    expect(await readAs(DOCUMENT, "sheet.pdf")).toMatchObject({
      pages: [
        { page: 1, text: expect.stringContaining("The aft “spring” line is worn; replace it before Friday.") },
        { page: 2, text: "Second page: oil pressure 4.2 bar, signed by the chief." },
      ],
    });
    expect(await textOf("sheet.docx")).toMatch(/# Inspection of MV Skua[\s\S]*\| Winch brake \| slips at 40 kN \|[\s\S]*\* Bilge dry/);
    expect(await textOf("sheet.odt")).toMatch(/# Inspection of MV Skua[\s\S]*\| Winch brake \| slips at 40 kN \|[\s\S]*- Bilge dry/);
    expect(await textOf("sheet.pdf", { kind: "document", pages: "2" } as SourceSpec)).toBe(
      "Second page: oil pressure 4.2 bar, signed by the chief.",
    );
  });

  it("are read in any encoding", async () => {
    expect(await textOf("latin.txt")).toContain('Öl im Maschinenraum - "dringend", 20 °C');
    expect(await textOf("utf16.txt")).toBe("Öl im Maschinenraum – „dringend“, 20 °C");
    expect(await textOf("sjis.txt")).toContain("冷却水温度が高いです。");
  });

  it("are the same in long HTML, which is read piece by piece, as in short", async () => {
    const part = (n: number): string => `<h2>Watch ${n}</h2>
      <p>Smoke in the <b>galley</b>, seen at <a href="/log?n=${n}&amp;all">${n} o'clock</a>; 2 * 3 = 6, a < b &amp; c.<br>Nobody hurt.</p>
      <script>if (a < b) document.write("<p>not this ${n}</p>");</script>
      loose words ${n} <i>and more</i>
      <ul><li>hose ${n}</li><li>pump<ol><li>port</li><li>starboard</li></ol></li></ul>
      <table><tr><th>Item</th><th>State</th></tr><tr><td>Winch ${n}</td><td>slips</td></tr></table>
      <blockquote><p>Signed ${n}</p></blockquote><pre><code>line ${n}
        two</code></pre><div>a box ${n}</div>`;
    const parts = Array.from({ length: 150 }, (_, n) => part(n));
    const texts = await Promise.all(parts.slice(0, 12).map((one, n) => textOf(put(`short${n}.html`, `<html><body>${one}</body></html>`))));
    expect(texts[3]).toMatch(/^## Watch 3\n\nSmoke in the \*\*galley\*\*/);
    const nested = `<div><nav>x</nav><section>${parts.slice(0, 75).join("\n")}</section><article><div>${parts.slice(75).join("")}</div></article></div>`;
    for (const long of [`<!doctype html><html><head><title>t</title></head><body>${nested}</body></html>`, nested]) {
      expect(long.length).toBeGreaterThan(60_000);
      const text = await textOf(put("long.html", long));
      expect(text.startsWith(`x\n\n${texts.join("\n\n")}\n\n## Watch 12\n`)).toBe(true);
      expect([...text.matchAll(/^## Watch (\d+)$/gm)].map(([, n]) => Number(n))).toEqual(parts.map((_, n) => n));
      expect([text.endsWith("a box 149"), text.includes("not this")]).toEqual([true, false]);
    }
  });

  it("may be e-mails, with what is attached to them", async () => {
    const opened = (await readAs(DOCUMENT, "receipts.eml")) as Opened;
    expect(opened.pages.map(({ title, page }) => [title, page])).toEqual([
      [undefined, undefined],
      ["attachment sheet.pdf", 1],
      ["attachment sheet.pdf", 2],
      ["attachment rechnung – März.txt", undefined],
    ]);
    expect(opened.pages[0]!.text).toBe(
      "From: Ana Weir <ana@marrowby.example>\nTo: desk@marrowby.example\nSent: 2026-03-02T19:15:00.000Z\nSubject: Receipts – fuel for Tern\n\nTwo receipts attached.\nRegards, Ana",
    );
    expect(opened.notes).toEqual(["attachment blob.bin is a file of bytes that is neither a document nor a picture known here"]);
    expect(await textOf("html-only.eml")).toMatch(/Hello \*\*desk\*\*$/);
  });

  it("are shown as pictures where they are wanted so, and where a page is a mere picture", async () => {
    const scan = await sharp({ create: { width: 600, height: 800, channels: 3, background: "#eee" } })
      .jpeg()
      .toBuffer();
    const scanned = put(
      "scan.pdf",
      await pdf(2, {}, (doc, index) => (index === 0 ? doc.text("A page of words.") : doc.image(scan, 0, 0, { width: 500 }))),
    );
    const opened = (await readAs({ kind: "document", longestSide: 400 } as SourceSpec, scanned)) as Opened;
    expect(opened.pages).toEqual([{ page: 1, text: "A page of words." }]);
    expect(opened.pictures).toMatchObject([{ page: 2, type: "image/jpeg", height: 400 }]);
    expect(opened.notes).toEqual(["page 2 is a mere picture, and is shown as one"]);
    const { width, height } = await sharp(Buffer.from(opened.pictures[0]!.data, "base64")).metadata();
    expect([width, height]).toEqual([opened.pictures[0]!.width, opened.pictures[0]!.height]);
    const both = (await readAs({ kind: "document", as: "both", pages: "1" } as SourceSpec, scanned)) as Opened;
    expect([both.pages.length, both.pictures.length]).toEqual([1, 1]);
  });
});

describe("what cannot be read", () => {
  const large = (): Buffer => {
    // A header of 30,000 x 30,000 points, and hardly anything behind it.
    const chunk = (type: string, data: Buffer): Buffer => {
      const body = Buffer.concat([Buffer.from(type, "latin1"), data]);
      const frame = Buffer.alloc(8);
      frame.writeUInt32BE(data.length, 0);
      frame.writeUInt32BE(crc32(body) >>> 0, 4);
      return Buffer.concat([frame.subarray(0, 4), body, frame.subarray(4)]);
    };
    const head = Buffer.alloc(13);
    head.writeUInt32BE(30_000, 0);
    head.writeUInt32BE(30_000, 4);
    head.set([8, 2, 0, 0, 0], 8);
    return Buffer.concat([
      Buffer.from("\x89PNG\r\n\x1a\n", "latin1"),
      chunk("IHDR", head),
      chunk("IDAT", deflateSync(Buffer.alloc(1000))),
      chunk("IEND", Buffer.alloc(0)),
    ]);
  };

  it.each<[string, SourceSpec, string | (() => string | Promise<string>), string]>([
    ["a file that is not there", DOCUMENT, "no.pdf", "names a file that is not there"],
    ["a folder", DOCUMENT, ".", "names a folder, not a file"],
    ["an empty file", DOCUMENT, () => put("empty.pdf", ""), "is an empty file"],
    ["a PDF that breaks off at once", DOCUMENT, () => put("cut.pdf", "%PDF-1.7\n%âãÏÓ\n1 0 obj\n"), "is a damaged PDF"],
    ["an encrypted PDF", DOCUMENT, "encrypted.pdf", "is encrypted; save it without a password"],
    ["a picture that is a PDF", IMAGE, "sheet.pdf", "is no picture (PNG, JPEG, WebP or GIF) but a PDF"],
    ["a picture in name only", IMAGE, () => put("words.png", "just words"), "is no picture (PNG, JPEG, WebP or GIF) but text"],
    ["an archive that is a bomb", DOCUMENT, "bomb.docx", "comes to more than 100 MB once it is unpacked"],
    ["external entities", DOCUMENT, "entities.odt", "declares entities of its own, which are not read"],
    [
      "an old or encrypted office file",
      DOCUMENT,
      "sheet.doc",
      "is an encrypted or an old office document; save it as DOCX, ODT or PDF without a password",
    ],
    ["rich text", DOCUMENT, "sheet.rtf", "is rich text (RTF); save it as DOCX, ODT or PDF"],
    [
      "a drawing",
      IMAGE,
      () => put("d.svg", '<?xml version="1.0"?><svg xmlns="http://www.w3.org/2000/svg"/>'),
      "is an SVG drawing; save it as PNG",
    ],
    [
      "a picture of 30,000 x 30,000 points",
      IMAGE,
      () => put("large.png", large()),
      "is a picture of 30000 x 30000 points, at most 100 million are read",
    ],
    [
      "a `file:` address",
      DOCUMENT,
      "file:///etc/passwd",
      "names an address of the kind `file:`, which is not read; name a path, or http(s)",
    ],
    ["an address where nothing is fetched", DOCUMENT, "https://marrowby.example/a.pdf", "names an address, and nothing is fetched here"],
    [
      "HTML that is nested without end",
      DOCUMENT,
      () => put("deep.html", `<html>${"<div>".repeat(20_000)}`),
      "has elements nested more than 500 deep",
    ],
    [
      "a picture that breaks off",
      IMAGE,
      async () =>
        put(
          "torn.jpg",
          (
            await sharp({
              create: { width: 900, height: 900, channels: 3, background: "#345", noise: { type: "gaussian", mean: 99, sigma: 40 } },
            })
              .jpeg()
              .toBuffer()
          ).subarray(0, 9_000),
        ),
      "is a damaged picture",
    ],
    [
      "a workbook",
      DOCUMENT,
      () => put("w.xlsx", readFileSync(createRequire(import.meta.url).resolve("../fixtures/workbooks/lo_pivot.xlsx"))),
      "is a workbook; name it as a table, not as a document",
    ],
  ])("is told for %s", async (_, spec, name, problem) => {
    expect(await readAs(spec, typeof name === "string" ? name : await name())).toBe(problem);
  });

  it("is told for too many pages, and some of them can be named", async () => {
    const long = put("long.pdf", await pdf(5_000, { bufferPages: false }, (doc, index) => doc.text(`Page ${index + 1}`)));
    expect(await readAs(DOCUMENT, long)).toBe("has 5000 pages, at most 100 are read; name some with `pages`, or raise `maxPages`");
    expect(await textOf(long, { kind: "document", pages: "4999-5000" } as SourceSpec)).toBe("Page 4999\fPage 5000");
    expect(await textOf(long, { kind: "document", pages: "6000" } as SourceSpec)).toBe(
      "! has 5000 pages, and none of those that are named",
    );
  });

  it("is told for a file that changes between being found and being read", async () => {
    const file = put("moving.txt", "before");
    const found = (await files.find(file, DOCUMENT, NO_NET)) as SourceHandle;
    put("moving.txt", "behind");
    expect(await files.open(found, DOCUMENT)).toEqual({ problem: "was changed while it was about to be read", mayPass: true });
  });

  it("costs its own row alone: a process that needs too long, or too much, is ended, and the next file is read", async () => {
    const slow = fileReader({ child: CHILD, processes: 1, timeoutMs: 400 });
    const greedy = fileReader({ child: CHILD, processes: 1, memory: 90 * 1024 * 1024 });
    try {
      const heavy = put("heavy.pdf", await pdf(1_200, {}, (doc, index) => doc.text(`Line ${index} `.repeat(300))));
      const spec = { kind: "document", maxPages: 2_000 } as SourceSpec;
      const results = await Promise.all([readAs(spec, heavy, filesOf(slow)), readAs(DOCUMENT, "latin.txt", filesOf(slow))]);
      expect(results.map(pagesOrProblem)).toEqual(["takes longer than 0.4 seconds to read", 1]);
      const others = await Promise.all([readAs(spec, heavy, filesOf(greedy)), readAs(DOCUMENT, "utf16.txt", filesOf(greedy))]);
      expect(others.map(pagesOrProblem)).toEqual(["needs more than 90 MB of memory to be read", 1]);
    } finally {
      slow.close();
      greedy.close();
    }
  });
});

describe("a process that reads files of strangers", () => {
  it.runIf(existsSync("/proc/self/environ"))("has none of the keys that stand in our surroundings", async () => {
    process.env["YOROSHI_TEST_KEY"] = "sk-never-there";
    const own = fileReader({ child: CHILD, processes: 1 });
    const before = new Set(childrenOf(process.pid));
    try {
      expect(pagesOrProblem(await readAs(DOCUMENT, "latin.txt", filesOf(own)))).toBe(1);
      const [child] = childrenOf(process.pid).filter((pid) => !before.has(pid));
      const surroundings = readFileSync(`/proc/${child}/environ`, "utf8");
      expect(surroundings).toContain("PATH=");
      expect(surroundings).not.toContain("sk-never-there");
    } finally {
      own.close();
      delete process.env["YOROSHI_TEST_KEY"];
    }
  });
});

describe("pictures", () => {
  it("are turned upright, scaled down and stripped, whatever their name says", async () => {
    const photo = await sharp({ create: { width: 1200, height: 800, channels: 3, background: "#246" } })
      .jpeg()
      .withMetadata({ orientation: 6, exif: { IFD0: { Artist: "nobody", ImageDescription: "secret place" } } })
      .toBuffer();
    const opened = (await readAs({ kind: "image", longestSide: 300 } as SourceSpec, put("photo.bin", photo))) as Opened;
    const [picture] = opened.pictures;
    expect(picture).toMatchObject({ type: "image/jpeg", width: 200, height: 300 });
    const bytes = Buffer.from(picture!.data, "base64");
    const { exif, orientation, width } = await sharp(bytes).metadata();
    expect([exif, orientation, width, bytes.length]).toEqual([undefined, undefined, 200, picture!.bytes]);
    for (const [name, made] of [
      ["a.webp", await sharp(photo).webp().toBuffer()],
      ["a.gif", await sharp(photo).gif().toBuffer()],
      ["a.png", await sharp(photo).png().toBuffer()],
    ] as const)
      expect((await readAs(IMAGE, put(name, made))) as Opened).toMatchObject({
        pictures: [{ type: name === "a.webp" ? "image/jpeg" : "image/png" }],
      });
  });

  it("may stand in the cell itself: as a `data:` address, or as a database's bytes", async () => {
    const png = await sharp({ create: { width: 20, height: 10, channels: 3, background: "#fff" } })
      .png()
      .toBuffer();
    for (const cell of [`data:image/png;base64,${png.toString("base64")}`, `\\x${png.toString("hex")}`, png.toString("hex").toUpperCase()])
      expect(await readAs(IMAGE, cell)).toMatchObject({ pictures: [{ width: 20, height: 10 }] });
    expect(await readAs(DOCUMENT, "data:text/plain,oil%20leak")).toMatchObject({ pages: [{ text: "oil leak" }] });
    expect(await readAs(IMAGE, "data:image/png;base64")).toBe("is a `data:` address without a comma, so it holds nothing");
  });
});

describe("what is known of a file", () => {
  it("saves reading it again, until it changes", async () => {
    const own = filesOf(reader);
    const file = path.join(folder, "known.txt");
    copyFileSync(path.join(FIXTURES, "utf16.txt"), file);
    const past = new Date(Date.now() - 60_000);
    utimesSync(file, past, past);
    const first = await own.find(file, DOCUMENT, NO_NET);
    expect(await own.find(file, DOCUMENT, NO_NET)).toEqual(first);
    expect(looks).toBe(1);
    writeFileSync(file, "other words");
    expect(await own.find(file, DOCUMENT, NO_NET)).not.toEqual(first);
    expect(looks).toBe(2);
  });
});

describe("a project's own files", () => {
  it("are those inside it and in folders that it allows; no path and no link leads out", async () => {
    const { openProject } = await import("../../src/project/index.js");
    const home = path.join(folder, "home");
    mkdirSync(path.join(home, "templates"), { recursive: true });
    mkdirSync(path.join(folder, "scans"));
    writeFileSync(path.join(home, "yoroshi.yaml"), "yoroshi: project/1\nfolders: [../scans]\n");
    writeFileSync(
      path.join(home, "templates", "t.yaml"),
      'yoroshi: template/1\nname: t\ninputs: { sheet: { kind: document } }\ntask: "Sum up {{ sheet }}"\nanswer: { short: { kind: text } }\n',
    );
    writeFileSync(path.join(folder, "secret.txt"), "the secret");
    writeFileSync(path.join(folder, "scans", "a.txt"), "A quiet night.");
    symlinkSync(path.join(folder, "secret.txt"), path.join(home, "link.txt"));
    const project = await openProject({ cwd: home });
    try {
      expect(await project.ask("t", { sheet: "../scans/a.txt" })).toMatchObject({ state: "answered", parts: { short: "A quiet night." } });
      for (const sheet of ["../secret.txt", "link.txt", path.join(folder, "secret.txt")])
        expect(await project.ask("t", { sheet })).toMatchObject({
          state: "declined",
          reason: {
            code: "inputUnfit",
            problem: expect.stringMatching(/^names a file that may not be read: (this path|a symbolic link) leads out/),
          },
        });
    } finally {
      await project.close();
    }
  });
});
