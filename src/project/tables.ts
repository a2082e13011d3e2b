import path from "node:path";
import { csvRows, csvTable, readSmallCsv, type MadeCsv } from "../adapters/csv/index.js";
import {
  inDatabase,
  isReadOnly,
  isWorkbook,
  sourceName,
  type RowSource,
  type RowsSource,
  type Table,
  type TableSource,
} from "../core/index.js";
import { filledName } from "../files/index.js";
import type { Databases } from "./databases.js";
import { insideProject } from "./files.js";
import { readSmallJsonl } from "./small-jsonl.js";

const isOpenDocument = (file: string): boolean => /\.ods$/i.test(file);
const isJsonLines = (file: string): boolean => /\.(jsonl|ndjson)$/i.test(file);

/** Rows whole, each with its place for messages. */
export interface SmallTable {
  readonly columns: readonly string[];
  readonly rows: readonly { readonly place: string; readonly values: Readonly<Record<string, string>> }[];
}

/** A source; one that a person named in a command may lie outside the project. */
export type CommandSource = RowsSource & { readonly anywhere?: boolean };

/** Opens what files and commands name as tables: files by their ending, databases by their name in yoroshi.yaml. */
export interface Tables {
  table(source: TableSource, options?: { readonly inPlace?: boolean | undefined; readonly grows?: boolean | undefined }): Promise<Table>;
  /** Rows in a stream, where no row needs a key. */
  rows(source: CommandSource): Promise<RowSource>;
  /** What a command names: a file by its path, or a table of a database, `main:labelled`, where the project has a database of that name. */
  named(name: string): CommandSource;
  /** Rows whole: samples, references. */
  small(source: CommandSource): Promise<SmallTable>;
}

/** Where a project's tables are, and what is to be kept to. */
export interface TablesPlace {
  readonly root: string;
  readonly cwd: string;
  readonly folders: readonly string[];
  readonly made: MadeCsv;
  /** Only files inside the project, and in its folders, whoever names them. */
  readonly confined: boolean;
  readonly onNotice: (text: string) => void;
}

export function projectTables({ root, cwd, folders, made, confined, onNotice }: TablesPlace, databases: Databases): Tables {
  const placeOf = ({ file, anywhere = false }: { readonly file: string; readonly anywhere?: boolean }): string =>
    anywhere && !confined ? path.resolve(root, file) : insideProject(root, file, folders);
  const rows: Tables["rows"] = async (source) => {
    if (inDatabase(source)) return (await sqlAdapter()).sqlRows(await databases.open(source.database), source);
    const file = placeOf(source);
    if (isReadOnly(file)) return (await parquetAdapter()).parquetRows(file, source.file);
    if (isOpenDocument(file)) return (await odsAdapter()).odsRows(file, source.file, source);
    if (isWorkbook(file)) return (await xlsxAdapter()).xlsxRows(file, source.file, source);
    return isJsonLines(file) ? (await jsonlAdapter()).jsonlRows(file, source.file) : csvRows(file, source.file);
  };
  return {
    rows,
    named(name) {
      const found = /^([^:/\\]+):(.+)$/.exec(name);
      if (found && databases.names.includes(found[1]!)) return { database: found[1]!, table: found[2]! };
      return confined
        ? { file: path.relative(root, insideProject(root, name, folders)) }
        : { file: path.relative(root, path.resolve(cwd, name)), anywhere: true };
    },
    async table(source, { inPlace = false, grows = false } = {}) {
      if (inDatabase(source)) return (await sqlAdapter()).sqlTable(await databases.open(source.database), { ...source, grows });
      const options = {
        file: insideProject(root, source.file, folders),
        name: source.file,
        key: source.key,
        inPlace,
        grows,
        memory: path.join(root, ".yoroshi", "sources"),
        onNotice,
      };
      if (!inPlace && !grows) insideProject(root, filledName(source.file), folders);
      const choice = { sheet: source.sheet, table: source.table, headerRow: source.headerRow };
      if (isOpenDocument(source.file)) return (await odsAdapter()).odsTable({ ...options, ...choice });
      if (isWorkbook(source.file))
        return (await xlsxAdapter()).xlsxTable({
          ...options,
          ...choice,
          showsStates: source.states === "sheet",
        });
      return isJsonLines(source.file) ? (await jsonlAdapter()).jsonlTable(options) : csvTable({ ...options, made });
    },
    async small(source) {
      if (!inDatabase(source) && !isWorkbook(source.file) && !isReadOnly(source.file)) {
        const file = placeOf(source);
        return isJsonLines(file) ? readSmallJsonl(file, source.file) : readSmallCsv(file, source.file);
      }
      const all = await rows(source);
      const found: SmallTable["rows"][number][] = [];
      for await (const some of all.rows())
        for (const values of some) found.push({ place: `row ${found.length + 1} of ${sourceName(source)}`, values });
      return { columns: await all.columns(), rows: found };
    },
  };
}

// Loaded when first needed: most projects have CSV files only.
const jsonlAdapter = () => import("../adapters/jsonl/index.js");
const odsAdapter = () => import("../adapters/ods/index.js");
const xlsxAdapter = () => import("../adapters/xlsx/index.js");
const parquetAdapter = () => import("../adapters/parquet/index.js");
const sqlAdapter = () => import("../adapters/sql/index.js");
