import { readFileSync } from "node:fs";
import path from "node:path";
import { stringify } from "csv-stringify/sync";
import { parse } from "csv-parse/sync";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { fill, readInputs, type FillReport } from "../../src/index.js";
import { openProject, type Project } from "../../src/node.js";
import { hostileTexts } from "../helpers/hostile.js";
import { removeTempFolders, smallProject } from "../helpers/cli.js";
import { messageText } from "../../src/core/index.js";

const texts = hostileTexts();
const BENIGN = "Smoke and flames in the engine space. ";
let project: Project;
let folder: string;
let report: FillReport;
let rows: Record<string, string>[];

beforeAll(async () => {
  const table = stringify([
    ["id", "note"],
    ...texts.map(({ text }, index) => [`h${index}`, text]),
    ...texts.map(({ text }, index) => [`b${index}`, `${BENIGN}${text}`.slice(0, 2000)]),
  ]);
  folder = smallProject(table);
  project = await openProject({ cwd: folder });
  report = await fill((await project.fillSetup("log")).setup);
  rows = parse(readFileSync(path.join(folder, "log.filled.csv")), { columns: true, relax_quotes: true }) as Record<string, string>[];
});
afterAll(async () => {
  await project.close();
  removeTempFolders();
});

describe(`${texts.length} hostile texts of ${new Set(texts.map(({ kind }) => kind)).size} kinds`, () => {
  it("are many", () => expect(texts.length).toBeGreaterThanOrEqual(60));

  it("cannot close their fence, open another, or put a turn of their own into the prompt", async () => {
    const { prepared } = (await project.fillSetup("log")).setup.asking["sort"]!;
    for (const { kind, text } of texts) {
      const reading = readInputs(prepared, { note: text });
      if (reading.state !== "ready") continue;
      const messages = prepared.render(reading.inputs);
      expect(
        messages.map((message) => message.role),
        kind,
      ).toEqual(["system", "user"]);
      const prompt = messageText(messages[1]!);
      const [, mark] = /<data-([a-z]{10}) name="note">/.exec(prompt)!;
      expect(prompt.split(mark!), kind).toHaveLength(3);
      expect(prompt.slice(prompt.indexOf(`</data-${mark}>`)), kind).toBe(
        `</data-${mark}>\n\n${prompt.slice(prompt.lastIndexOf("Answer with one JSON object"))}`,
      );
      expect(project.root, kind).toBe(folder);
      expect(prepared.render(reading.inputs), kind).toEqual(messages);
      expect(Buffer.from(prompt, "utf8").toString("utf8"), kind).toBe(prompt);
    }
  });

  it("end in an answer of its kinds or in a reason, every one", () => {
    expect(report.rows).toBe(texts.length * 2);
    expect(report.filled + report.skipped + report.failed).toBe(report.rows);
    for (const row of rows) {
      if (row["topic"] === "") continue;
      expect(["fire", "spill", "engine", "other"]).toContain(row["topic"]);
      expect(row["level"]).toMatch(/^[1-5]$/);
      expect([...row["because"]!].length).toBeLessThanOrEqual(101);
    }
  });

  it("cannot be run as a formula where the answer lands, and stay untouched where they stood", () => {
    for (const row of rows) expect(row["because"], row["id"]).not.toMatch(/^[\s\ufeff\u200b]*[=+\-@＝＋－＠]/);
    const source = parse(readFileSync(path.join(folder, "log.csv")), { columns: true }) as Record<string, string>[];
    expect(rows.map((row) => row["note"])).toEqual(source.map((row) => row["note"]));
  });

  it("do not sway the stand-in from what else the text says", () => {
    const benign = rows.filter((row) => row["id"]!.startsWith("b") && row["topic"] !== "");
    expect(benign.length).toBeGreaterThan(60);
    expect(benign.filter((row) => row["topic"] === "fire").length / benign.length).toBeGreaterThan(0.95);
  });
});
