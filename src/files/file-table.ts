import { stat } from "node:fs/promises";
import {
  keyColumnsOf,
  YoroshiError,
  type CellsOf,
  type Chunk,
  type Growth,
  type KeyColumns,
  type StatesOf,
  type Table,
  type TargetColumn,
} from "../core/index.js";
import { backUp } from "./backup.js";
import { carryOver, type Carrying } from "./carry-over.js";
import { checkWritable } from "./check-writable.js";
import type { FileChanges, FileFormat, FileRow, NamedFile } from "./file-format.js";
import { filledName } from "./filled-name.js";
import { KeySet } from "./key-set.js";
import { tellOpenElsewhere, waitUntilClosed } from "./open-elsewhere.js";
import { sourceMemory } from "./source-memory.js";
import { fileHash, writeWhole } from "./write-file.js";

export interface FileTableOptions {
  /** The source file's path. */
  readonly file: string;
  /** What messages call it. Default: the path. */
  readonly name?: string | undefined;
  readonly key: KeyColumns;
  /** Write into the source itself, after a copy `<name>.backup`. Default: `<name>.filled.<ending>` beside it. */
  readonly inPlace?: boolean | undefined;
  /** The file holds rows that Yoroshi makes: it is its own result, begins when it is first written, and rows come and go. */
  readonly grows?: boolean | undefined;
  /** A folder for the source as it was when the result was last written. Default: `.yoroshi/sources` beside the file. */
  readonly memory?: string | undefined;
  /** How long a write waits for a spreadsheet program to close the file. Default 20 seconds. */
  readonly closingMs?: number | undefined;
  /** Told what a person should know though nothing is wrong. */
  readonly onNotice?: ((text: string) => void) | undefined;
}

const DEFAULT_CLOSING_MS = 20_000;

async function isThere({ file, name }: NamedFile): Promise<boolean> {
  const found = await stat(file).catch(() => undefined);
  if (found?.isDirectory()) throw new YoroshiError("fileUnwritable", { file: name, problem: "it is a folder" });
  return found !== undefined;
}

/** Signals that a file must be written once more from its beginning, in another way that its format has set. */
export class WriteAgain extends Error {}

/**
 * A file as a table, whatever its format. The source is read and never changed. The first write makes the result from the
 * source; from then on the result is edited: what a person does in it stays, and what is new or changed in the source is
 * brought in by key.
 */
export function fileTable(options: FileTableOptions, format: FileFormat, part?: string): Table {
  const { file, grows = false, onNotice } = options;
  const itself = options.inPlace === true || grows;
  const key = keyColumnsOf(options.key);
  const source: NamedFile = { file, name: options.name ?? file };
  const result: NamedFile = itself ? source : { file: filledName(file), name: filledName(source.name) };
  const memory = sourceMemory(options.memory, result, part);
  /** Where results stand; before the first write, the source's own columns. */
  const standingFile = async (): Promise<NamedFile | undefined> => ((await isThere(result)) ? result : grows ? undefined : source);

  return {
    name: source.name,
    target: result.name,
    part,
    keyColumns: key,
    columns: async () => (grows && !(await isThere(source)) ? key : format.columns(source)),
    topRows: async () => format.topRows?.(source) ?? [],
    async *read(): AsyncGenerator<Chunk> {
      if (grows && !(await isThere(source))) return;
      yield* format.rows(source, { tell: true });
    },
    async *standing(columns) {
      const from = await standingFile();
      if (!from) return;
      const there = await format.columns(from);
      const present = columns.filter((column) => there.includes(column));
      if (present.length === 0) return;
      const twice = from === source ? NONE : await doubledKeys(format, from);
      for await (const { rows } of format.rows(from)) {
        yield rows
          .filter((row) => !twice.has(row.key))
          .map((row) => ({
            key: row.key,
            values: Object.fromEntries(
              present.flatMap((column) => (row.values[column] === undefined ? [] : [[column, row.values[column]]])),
            ),
          }));
      }
    },
    sourceMark: () => fileHash(file),
    standingMark: () => fileHash(result.file),
    ownResult: !itself,
    keysMayRepeat: true,
    showsStates: format.showsStates,
    async checkWritable() {
      await checkWritable(result.file, result.name);
      if (!itself && (await isThere(result))) await requireKey(format, result, key);
      await tellOpenElsewhere(result, onNotice);
    },
    async write(columns, cellsOf, { growth, statesOf, touched = false, givesUp = false } = {}) {
      await waitUntilClosed(result, options.closingMs ?? DEFAULT_CLOSING_MS, onNotice);
      if (options.inPlace && !grows) await backUp(file, source.name);
      const stands = await isThere(result);
      if (itself)
        return writeAll(format, result, stands ? result : undefined, () => changesOf({ columns, cellsOf, growth, statesOf, twice: NONE }));
      if (stands) await requireKey(format, result, key);
      const now = await memory.take(source);
      const carrying =
        stands && now.isNew ? await carryOver(format, { before: now.before, now: now.file, source, result, targets: columns }) : undefined;
      const twice = stands && touched ? await doubledKeys(format, result) : NONE;
      for (const one of twice)
        onNotice?.(
          `${result.name}: the key ${one} stands in several rows, and the file was changed since it was last written; these rows are left as they are.`,
        );
      try {
        const mark = await writeAll(
          format,
          result,
          stands ? result : now.file,
          () => changesOf({ columns, cellsOf, growth, statesOf, twice, carrying: carrying?.begin() }),
          async () => {
            if (!stands || !(touched || givesUp || carrying?.takesAway)) return;
            await backUp(result.file, result.name);
            onNotice?.(`${result.name} as it stood is kept as ${result.name}.backup.`);
          },
        );
        await now.keep();
        for (const text of carrying?.notices() ?? []) onNotice?.(text);
        return mark;
      } finally {
        carrying?.close();
        await now.drop();
      }
    },
    asWritten: (column, value) => format.asWritten(column, value),
  };
}

const NONE: ReadonlySet<string> = new Set();

async function writeAll(
  format: FileFormat,
  target: NamedFile,
  base: NamedFile | undefined,
  changes: () => FileChanges,
  beforeSwap?: () => Promise<void>,
): Promise<string> {
  const once = (): Promise<string> =>
    writeWhole(target.file, target.name, (write) => format.write(base, target, changes, write), beforeSwap);
  try {
    return await once();
  } catch (error) {
    if (error instanceof WriteAgain) return once();
    throw error;
  }
}

interface Wanted {
  readonly columns: readonly TargetColumn[];
  readonly cellsOf: CellsOf;
  readonly growth: Growth | undefined;
  readonly statesOf: StatesOf | undefined;
  /** Keys whose rows cannot be told apart any more. */
  readonly twice: ReadonlySet<string>;
  readonly carrying?: Carrying | undefined;
}

/** What is to be done with the rows of the file that is written: cells, what the source brings, rows that go and come. */
function changesOf({ columns, cellsOf, growth, statesOf, twice, carrying }: Wanted): FileChanges {
  return {
    columns,
    brought: carrying?.columns ?? [],
    carries: carrying !== undefined,
    grows: growth !== undefined,
    statesOf,
    async of(rows: readonly FileRow[]) {
      const cells = await cellsOf(rows.map((row) => row.key));
      const carried = carrying?.of(rows, cells);
      return rows.map((row, index) => {
        if (twice.has(row.key)) return {};
        const goes = carried?.[index]?.goes ?? growth?.goes({ key: row.key, values: row.values }, cells[index]);
        return goes ? { goes: true } : { cells: cells[index], brought: carried?.[index]?.brought };
      });
    },
    async *added() {
      for (const rows of carrying?.added() ?? []) {
        const cells = await cellsOf(rows.map((row) => row.key));
        yield rows.map((row, index) => ({ ...row, cells: cells[index] }));
      }
      for await (const rows of growth?.added() ?? []) {
        const cells = await cellsOf(rows.map((row) => row.key));
        yield rows.map(({ key, values }, index) => ({ key, values, cells: cells[index] }));
      }
    },
  };
}

/** The keys that stand in more than one row. */
async function doubledKeys(format: FileFormat, from: NamedFile): Promise<ReadonlySet<string>> {
  const seen = new KeySet();
  const twice = new Set<string>();
  let number = 0;
  for await (const { rows } of format.rows(from)) {
    for (const row of rows) {
      number++;
      const key = row.ownKey ?? (row.unnamed ? "" : row.key);
      if (key !== "" && seen.add(key, number) !== undefined) twice.add(key);
    }
  }
  return twice;
}

async function requireKey(format: FileFormat, result: NamedFile, key: readonly string[]): Promise<void> {
  const columns = await format.columns(result);
  const missing = key.find((column) => !columns.includes(column));
  if (missing !== undefined)
    throw new YoroshiError("tableBroken", {
      table: result.name,
      place: "row 1",
      problem: `there is no column \`${missing}\` for the key any more, so its rows cannot be told apart. Put it back, or move the file away: then it is made anew from the source.`,
    });
}
