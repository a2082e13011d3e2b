import { randomBytes } from "node:crypto";
import { createReadStream, createWriteStream, existsSync } from "node:fs";
import { mkdir, rename, rm, stat } from "node:fs/promises";
import path from "node:path";
import { Readable, Transform } from "node:stream";
import { pipeline } from "node:stream/promises";
import { stringify } from "csv-stringify";
import * as z from "zod";
import { defangCopied, inDatabase, YoroshiError, type ViewQuery } from "../core/index.js";
import { insideProject, type Project } from "../project/index.js";
import { exportLedgerTo, type Exported } from "./export-ledger.js";
import { lookAtTable, type TableLook } from "./look-at-table.js";
import { readGiven } from "./job.js";
import { queryShape, sortShape } from "./query-shape.js";
import { viewOf } from "./views.js";

/** What is taken away, as a stream of bytes. */
export interface Download {
  readonly name: string;
  readonly type: string;
  readonly bytes: Readable;
}

const TYPES: Readonly<Record<string, string>> = {
  ".csv": "text/csv; charset=utf-8",
  ".jsonl": "application/x-ndjson",
  ".ndjson": "application/x-ndjson",
  ".ods": "application/vnd.oasis.opendocument.spreadsheet",
  ".xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
  ".xlsm": "application/vnd.ms-excel.sheet.macroEnabled.12",
};
const MOST_WORKBOOK_ROWS = 100_000;
const PAGE = 1_000;

export const downloadWish = z.strictObject({
  /** The result file as it stands; or the rows as they are seen, as CSV or as a new workbook. Default `result`. */
  as: z.enum(["result", "csv", "xlsx"]).optional(),
  search: z.string().optional(),
  where: z.string().optional(),
  /** Which rows, as `readRows` takes it, as JSON: `{"filters":[{"column":"hazard","is":["fire"]}],"sort":[{"column":"severity"}]}`. */
  seen: z.string().max(50_000).optional(),
});

const seenShape = z.strictObject({ ...queryShape, sort: sortShape });

/** @throws YoroshiError `badInput` for what is no JSON, or says something else. */
function queryIn({ seen, search, where }: Pick<z.output<typeof downloadWish>, "seen" | "search" | "where">): ViewQuery {
  let given: unknown = {};
  try {
    given = seen === undefined ? {} : JSON.parse(seen);
  } catch {
    throw new YoroshiError("badInput", { job: "file", problems: ["`seen`: this is no JSON"] });
  }
  return {
    ...readGiven(seenShape, given, "file"),
    ...(search === undefined ? {} : { search }),
    ...(where === undefined ? {} : { where }),
  } as ViewQuery;
}

/** A plan's table, to be taken away. */
export async function downloadTable(
  project: Project,
  plan: string,
  { as = "result", ...query }: z.output<typeof downloadWish>,
): Promise<Download> {
  if (as !== "result") return as === "csv" ? seenAsCsv(project, plan, queryIn(query)) : seenAsWorkbook(project, plan, queryIn(query));
  const { table } = await project.plan(plan);
  const { target } = await project.table(await project.plan(plan));
  if (inDatabase(table as never))
    throw new YoroshiError("badOption", {
      option: "as",
      problem: `${target} is in a database, and no file. Take it as \`csv\` or \`xlsx\`.`,
    });
  const file = insideProject(project.root, target, project.settings.folders);
  if (!existsSync(file))
    throw new YoroshiError("fileUnreadable", { file: target, problem: "nothing has been written yet. Fill the plan first" });
  return { name: path.basename(file), type: typeOf(file), bytes: createReadStream(file) };
}

const typeOf = (file: string): string => TYPES[path.extname(file).toLowerCase()] ?? "application/octet-stream";

async function* seenRows(project: Project, plan: string, query: ViewQuery): AsyncGenerator<readonly string[]> {
  const { view } = await viewOf(project, plan);
  yield view.columns.map(({ name }) => name);
  for (let from = 0; ; from += PAGE) {
    const { page, found } = view.page(query, { from, limit: PAGE });
    // Nothing that a spreadsheet would take for a formula, wherever it came from.
    for (const { values } of page) yield values.map(defangCopied);
    if (from + PAGE >= found) return;
  }
}

async function seenAsCsv(project: Project, plan: string, query: ViewQuery): Promise<Download> {
  const rows = seenRows(project, plan, query);
  // Its first line comes before anything is sent, so that what is wrong is still an error.
  const { value: header } = await rows.next();
  const source = Readable.from(
    (async function* all() {
      yield header!;
      yield* rows;
    })(),
  );
  return { name: `${plan}.csv`, type: TYPES[".csv"]!, bytes: source.pipe(stringify({ bom: true })) };
}

async function seenAsWorkbook(project: Project, plan: string, query: ViewQuery): Promise<Download> {
  const lines: (readonly string[])[] = [];
  for await (const line of seenRows(project, plan, query)) {
    lines.push(line);
    if (lines.length > MOST_WORKBOOK_ROWS + 1)
      throw new YoroshiError("badOption", {
        option: "as",
        problem: `a new workbook takes at most ${MOST_WORKBOOK_ROWS} rows. Take \`csv\`, or the result itself.`,
      });
  }
  const [header = [], ...rows] = lines;
  const { newWorkbook } = await import("../adapters/xlsx/index.js");
  const bytes = newWorkbook(
    plan.slice(0, 31),
    header.map((name) => ({ name })),
    rows,
  );
  return { name: `${plan}.xlsx`, type: TYPES[".xlsx"]!, bytes: Readable.from([Buffer.from(bytes)]) };
}

/** What the ledger knows, as JSON Lines or CSV. */
export async function downloadLedger(project: Project, what: Exported, as: "jsonl" | "csv", names: boolean): Promise<Download> {
  const file = await scratchFile(project, `.${as}`);
  try {
    await exportLedgerTo(project, what, file, names);
  } catch (error) {
    await rm(file, { force: true });
    throw error;
  }
  const bytes = createReadStream(file);
  bytes.once("close", () => void rm(file, { force: true }));
  return { name: `${what}.${as}`, type: typeOf(file), bytes };
}

async function scratchFile({ root }: Project, ending: string): Promise<string> {
  const folder = path.join(root, ".yoroshi", "scratch");
  await mkdir(folder, { recursive: true });
  return path.join(folder, `${randomBytes(9).toString("hex")}${ending}`);
}

const ENDINGS = Object.keys(TYPES);

/** What came of an upload. */
export interface Uploaded {
  /** As plans name it. */
  readonly file: string;
  readonly look: TableLook;
}

/**
 * Takes a table into the project's folder, once it is whole and can be read as one.
 *
 * @param bytes streamed to the disk; what is more than `mostBytes` ends it.
 * @throws YoroshiError `badOption` for a name that is none, `fileExists`, `tooLarge`, or what is wrong with it as a table.
 */
export async function uploadTable(
  project: Project,
  { name, replace = false, mostBytes }: { readonly name: string; readonly replace?: boolean | undefined; readonly mostBytes: number },
  bytes: Readable,
): Promise<Uploaded> {
  const file = path.basename(name.normalize("NFC"));
  const ending = path.extname(file).toLowerCase();
  if (file !== name.normalize("NFC") || file.startsWith(".") || /[\p{Cc}\\/:*?"<>|]/u.test(file) || file.length > 120)
    throw new YoroshiError("badOption", { option: "name", problem: "a file's name, without folders (for example `deck-log.csv`)." });
  if (!ENDINGS.includes(ending))
    throw new YoroshiError("badOption", { option: "name", problem: `a table's file ends with ${ENDINGS.join(", ")}.` });
  const target = insideProject(project.root, file);
  if (existsSync(target) && !replace) throw new YoroshiError("fileExists", { file });
  const scratch = await scratchFile(project, ending);
  try {
    await pipeline(bytes, limitTo(mostBytes, file), createWriteStream(scratch));
    const look = await lookAtTable.run(undefined, { folder: project.root, place: { file: path.relative(project.root, scratch) } }, {});
    await rename(scratch, target);
    return { file, look };
  } finally {
    if ((await stat(scratch).catch(() => undefined)) !== undefined) await rm(scratch, { force: true });
  }
}

function limitTo(mostBytes: number, name: string): Transform {
  let seen = 0;
  return new Transform({
    transform(chunk: Buffer, _encoding, done) {
      seen += chunk.length;
      if (seen > mostBytes) done(new YoroshiError("tooLarge", { what: name, bytes: mostBytes }));
      else done(null, chunk);
    },
  });
}
