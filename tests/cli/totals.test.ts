import { readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import { parse } from "csv-parse/sync";
import { afterAll, describe, expect, it } from "vitest";
import { removeTempFolders, run, smallProject } from "../helpers/cli.js";

afterAll(removeTempFolders);

const put = (folder: string, file: string, text: string): void => writeFileSync(path.join(folder, file), text);
const rowsOf = (folder: string, file: string): Record<string, string>[] =>
  parse(readFileSync(path.join(folder, file), "utf8"), { columns: true }) as Record<string, string>[];

const TRIPS = "id,notes\nT1,Fuel at Northport. Tolls on the bridge.\nT2,Nothing to claim.\nT3,Ropes and a pump. Paint.\n";
const RECEIPTS = "receipt,trip,amount,kind\nr1,T1,12.50,fuel\nr2,T1,7.5,toll\nr3,T3,100,rope\nr4,T3,,pump\nr5,T9,1,toll\n";

const trips = (related: string, more = ""): string => `yoroshi: plan/1
name: trips
table: { file: trips.csv, key: id }
related:
${related}
steps:
  sums:
    set:
      total: { cel: row.receipts.total }
      receipts_n: { cel: row.receipts.count }
${more}`;

function project(): string {
  const folder = smallProject("id,note\n");
  put(folder, "trips.csv", TRIPS);
  put(folder, "receipts.csv", RECEIPTS);
  return folder;
}

const FIGURES = "figures: { total: { sum: amount }, count: { count: all } }";

describe("totals of child rows", () => {
  it("come from any table, and follow it", async () => {
    const folder = project();
    put(folder, "plans/trips.yaml", trips(`  receipts: { table: { file: receipts.csv }, match: { trip: id }, ${FIGURES} }`));
    expect(await run(["check", "trips"], folder)).toMatchObject({ code: 0 });
    expect(await run(["fill", "trips"], folder)).toMatchObject({ code: 0 });
    expect(rowsOf(folder, "trips.filled.csv")).toMatchObject([
      { id: "T1", total: "20", receipts_n: "2" },
      { id: "T2", total: "", receipts_n: "0" },
      { id: "T3", total: "100", receipts_n: "2" },
    ]);
    put(folder, "receipts.csv", RECEIPTS.replace("r2,T1,7.5", "r2,T2,7.5"));
    await run(["fill", "trips"], folder);
    expect(rowsOf(folder, "trips.filled.csv").map(({ total }) => total)).toEqual(["12.5", "7.5", "100"]);
    // A child that cannot count leaves its parent blank, and says why; other parents are right.
    put(folder, "receipts.csv", RECEIPTS.replace("12.50", "twelve"));
    await run(["fill", "trips"], folder);
    const told = rowsOf(folder, "trips.filled.csv");
    expect(told.map(({ total }) => total)).toEqual(["", "", "100"]);
    expect((await run(["status", "trips", "--cell", "T1"], folder)).out).toMatch(/row 1 of receipts\.csv: `amount` is no number/);
  }, 60_000);

  it("come back in one run from the plan whose rows are made of the parent's, and from what a person corrects there", async () => {
    const folder = project();
    put(
      folder,
      "templates/claims.yaml",
      `yoroshi: template/1
name: claims
inputs: { notes: { kind: text } }
task: "What is claimed in this note? {{ notes }}"
answer:
  claims:
    kind: list
    of: { kind: record, parts: { what: { kind: text, about: What is claimed }, sure: { kind: score, from: 1, to: 5 } } }
`,
    );
    put(
      folder,
      "plans/trips.yaml",
      trips(
        "  receipts: { table: { plan: claimed }, match: { id: id }, figures: { total: { sum: sure }, count: { count: all }, checked: { count: 'row.isChecked == \"yes\"' } } }",
        `      checked: { cel: row.receipts.checked }
    when: row.claims != ""
  claims:
    template: claims
    fill: { claims: claims }
`,
      ),
    );
    put(
      folder,
      "plans/claimed.yaml",
      `yoroshi: plan/1
name: claimed
table: { items: { of: trips, column: claims }, file: claimed.csv, key: claimId }
steps:
  look:
    set: { isChecked: { cel: size(row.what) > 15 } }
`,
    );
    const first = await run(["fill", "trips", "--json"], folder);
    expect({ err: first.err, code: first.code }).toMatchObject({ code: 0 });
    expect(first.json<{ derived: { plan: string }[] }>().derived.map(({ plan }) => plan)).toEqual(["claimed"]);
    const children = rowsOf(folder, "claimed.csv");
    expect(children.length).toBeGreaterThan(2);
    const measured = (id: string): object => {
      const own = children.filter((row) => row["id"] === id);
      return {
        receipts_n: String(own.length),
        total: own.length === 0 ? "" : String(own.reduce((sum, { sure }) => sum + Number(sure), 0)),
        checked: String(own.filter(({ isChecked }) => isChecked === "yes").length),
      };
    };
    for (const row of rowsOf(folder, "trips.filled.csv")) if (row["claims"] !== "") expect(row).toMatchObject(measured(row["id"]!));
    // A second run has nothing to do; a person's correction of a child comes back with the next.
    expect((await run(["fill", "trips", "--json"], folder)).json()).toMatchObject({ asked: 0, written: false });
    const [one] = children;
    put(
      folder,
      "claimed.csv",
      readFileSync(path.join(folder, "claimed.csv"), "utf8").replace(
        new RegExp(`^(${one!["claimId"]},${one!["id"]},.*),${one!["sure"]},`, "m"),
        `$1,${Number(one!["sure"]) + 40},`,
      ),
    );
    await run(["fill", "trips"], folder);
    const total = Number(rowsOf(folder, "trips.filled.csv").find(({ id }) => id === one!["id"])!["total"]);
    expect(total).toBe(children.filter((row) => row["id"] === one!["id"]).reduce((sum, { sure }) => sum + Number(sure), 0) + 40);
  }, 60_000);

  it("tell mistakes with their places", async () => {
    const folder = project();
    const checked = async (related: string): Promise<string> => {
      put(folder, "plans/trips.yaml", trips(related));
      const { out, err, code } = await run(["check", "trips"], folder);
      expect(code).toBe(2);
      return out + err;
    };
    expect(await checked(`  receipts: { table: { file: receipts.csv }, match: { trip: id }, limit: 3, ${FIGURES} }`)).toMatch(
      /trips\.yaml:5:\d+ .*`limit` chooses rows/,
    );
    expect(
      await checked(
        `  receipts: { table: { file: receipts.csv }, match: { trip: id }, figures: { total: { sum: amount, mean: amount } } }`,
      ),
    ).toMatch(/exactly one of/);
    expect(
      await checked(`  receipts: { table: { file: receipts.csv }, match: { trip: id }, figures: { count: { count: "row.amount >" } } }`),
    ).toMatch(/trips\.yaml:5:\d+/);
    put(
      folder,
      "plans/trips.yaml",
      trips(`  receipts: { table: { file: receipts.csv }, match: { trip: id }, figures: { total: { sum: amuont } } }`),
    );
    expect((await run(["fill", "trips"], folder)).err).toMatch(/no column `amuont`/);
  }, 60_000);
});
