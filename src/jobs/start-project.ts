import { existsSync } from "node:fs";
import { mkdir, readFile, writeFile } from "node:fs/promises";
import path from "node:path";
import { stringify } from "csv-stringify/sync";
import * as z from "zod";
import { defangCopied, readPlan, readTemplate, YoroshiError } from "../core/index.js";
import { PROJECT_FILE, PROJECT_FORMAT } from "../project/index.js";
import { defineFreeJob } from "./job.js";
import { lookAtTable, tablePlace, withRows, type TableLook, type TablePlace, type UseRows } from "./look-at-table.js";
import { planText, slugOf, startTemplate, wantedShape } from "./start-files.js";

/** What is asked before a project, or a plan, is made around a table. */
export const startShape = {
  key: z.union([z.string(), z.array(z.string()).min(1)]),
  /** What is filled, and from which columns. */
  wanted: wantedShape,
  from: z.array(z.string()).min(1),
  /** The column that is filled. Default: named after what is wanted. */
  column: z.string().optional(),
  /** The plan's name. Default: the table's. */
  name: z.string().optional(),
  numbers: z.enum(["comma", "point"]).optional(),
  dates: z.enum(["dayFirst", "monthFirst"]).optional(),
} as const;

const input = z.strictObject({
  /** The folder of the project; it may have one already. */
  folder: z.string(),
  place: tablePlace,
  ...startShape,
});

export type StartChoice = z.output<z.ZodObject<typeof startShape>>;

export const startReport = z.object({
  root: z.string(),
  plan: z.string(),
  template: z.string(),
  columns: z.array(z.string()),
  /** What was written, relative to the project. */
  files: z.array(z.string()),
  isNew: z.boolean(),
});

/** Makes a project around a table: yoroshi.yaml, a template, a plan. Nothing that exists is overwritten. */
export const startProject = defineFreeJob({
  name: "startProject",
  summary: "Makes a project around a table: yoroshi.yaml, a template and a plan. Overwrites nothing.",
  input,
  report: startReport,
  async run({ folder, place, ...wish }) {
    const root = path.resolve(folder);
    const look = await lookAtTable.run(undefined, { folder: root, place }, {});
    const made = await writeStart(root, place, look as TableLook, wish);
    if (!made.isNew && "database" in place) await requireDatabase(root, place.database);
    return made;
  },
});

/** Writes a template and a plan for a table, and yoroshi.yaml where there is none; overwrites nothing. */
export async function writeStart(
  root: string,
  place: TablePlace,
  look: TableLook,
  wish: StartChoice,
): Promise<z.input<typeof startReport>> {
  const unknown = [...wish.from, ...(typeof wish.key === "string" ? [wish.key] : wish.key)].find(
    (column) => !look.columns.some(({ name }) => name === column),
  );
  if (unknown !== undefined)
    throw new YoroshiError("notFound", { what: `column in ${look.name}`, name: unknown, known: look.columns.map(({ name }) => name) });
  const base = wish.name ?? slugOf("file" in place ? path.basename(place.file).replace(/\.[^.]+$/, "") : place.table);
  const plan = freeName(root, "plans", base);
  const template = freeName(root, "templates", `${base}-${slugOf(wish.wanted.what)}`);
  const texts: Record<string, string> = {};
  const isNew = !existsSync(path.join(root, PROJECT_FILE));
  if (isNew) texts[PROJECT_FILE] = projectText(place);
  const made = startTemplate(template, look, wish);
  texts[path.join("templates", `${template}.yaml`)] = made.text;
  texts[path.join("plans", `${plan}.yaml`)] = planText(plan, template, root, place, look, wish, made);
  checkTexts(texts);
  if (isNew && !existsSync(path.join(root, ".gitignore"))) texts[".gitignore"] = ".yoroshi/\n.env\n*.filled.*\n";
  for (const [file, text] of Object.entries(texts)) {
    await mkdir(path.dirname(path.join(root, file)), { recursive: true });
    await writeFile(path.join(root, file), text, { flag: "wx" });
  }
  return { root, plan, template, columns: Object.keys(made.fill), files: Object.keys(texts), isNew };
}

/** What was made is read back before it is written: a name in the table may be anything. */
function checkTexts(texts: Readonly<Record<string, string>>): void {
  for (const [file, text] of Object.entries(texts)) {
    const complaints = file.startsWith("templates")
      ? readTemplate(text, file).complaints
      : file.startsWith("plans")
        ? readPlan(text, file).complaints
        : [];
    if (complaints.length > 0) throw new YoroshiError("filesInvalid", { complaints });
  }
}

async function requireDatabase(root: string, env: string): Promise<void> {
  const text = await readFile(path.join(root, PROJECT_FILE), "utf8");
  if (!text.includes(env))
    throw new YoroshiError("badOption", {
      option: "--database",
      problem: `${PROJECT_FILE} does not name ${env}. Add \`databases: { main: { url: { env: ${env} } } }\`.`,
    });
}

function freeName(root: string, folder: string, base: string): string {
  for (let n = 1; ; n++) {
    const name = n === 1 ? base : `${base}-${n}`;
    if (!existsSync(path.join(root, folder, `${name}.yaml`))) return name;
  }
}

function projectText(place: TablePlace): string {
  return [
    `yoroshi: ${PROJECT_FORMAT}`,
    "# Without a model here the offline stand-in answers. `yoroshi model add` names one; its key never stands in this file.",
    `timeZone: ${Intl.DateTimeFormat().resolvedOptions().timeZone || "UTC"}`,
    ...("database" in place ? ["databases:", `  main: { url: { env: ${place.database} } }`] : []),
    "",
  ].join("\n");
}

/** A table in which no column names a row, copied with one that does. */
export const numberRows = defineFreeJob({
  name: "numberRows",
  summary: "Copies a table into a CSV file with a column that numbers its rows, so that each has a key.",
  input: z.strictObject({ folder: z.string(), place: tablePlace, column: z.string() }),
  report: z.object({ file: z.string(), rows: z.int() }),
  async run({ folder, place, column }) {
    return numberedCopy(folder, place, column, (chosen, use) => withRows(folder, chosen, use));
  },
});

/** Copies a file's rows into a CSV file beside it, numbered. @throws YoroshiError `misuse` for a database, `badOption` where the copy exists. */
export async function numberedCopy(
  folder: string,
  place: TablePlace,
  column: string,
  useRows: UseRows,
): Promise<{ file: string; rows: number }> {
  if (!("file" in place))
    throw new YoroshiError("misuse", { problem: "Only a file's rows can be numbered; give the database's table a key of its own." });
  const file = place.file.replace(/\.[^.]+$/, ".numbered.csv");
  const absolute = path.resolve(folder, file);
  if (existsSync(absolute))
    throw new YoroshiError("badOption", { option: file, problem: "this file exists. Move it away, or start from it." });
  return useRows(place, async (source) => {
    const columns = (await source.columns()).filter((name) => name !== "");
    const lines: string[][] = [[column, ...columns]];
    for await (const rows of source.rows())
      for (const row of rows) lines.push([String(lines.length), ...columns.map((name) => defangCopied(row[name] ?? ""))]);
    await writeFile(absolute, `\ufeff${stringify(lines)}`, { flag: "wx" });
    return { file, rows: lines.length - 1 };
  });
}
