import { createHash } from "node:crypto";
import { stat } from "node:fs/promises";
import { asyncBufferFromFile, parquetMetadataAsync, parquetReadObjects, parquetSchema } from "hyparquet";
import { compressors } from "hyparquet-compressors";
import { joinKey, YoroshiError, type MadeRows, type RelatedRow, type Row, type RowSource, type TargetColumn } from "../../core/index.js";

const CHUNK_ROWS = 1_000;

/** What of a file's schema is needed to write its values as text. */
interface Column {
  readonly name: string;
  readonly isDay: boolean;
  readonly type: NonNullable<TargetColumn["type"]>;
}

/** The rows of a Parquet file, some at a time, every value as text. */
export function parquetRows(file: string, name: string): RowSource {
  let opening: ReturnType<typeof open> | undefined;
  const opened = (): ReturnType<typeof open> => (opening ??= open(file, name));
  return {
    name,
    columns: async () => (await opened()).columns.map((column) => column.name),
    mark: () => markOf(file),
    async *rows() {
      const { columns, rows, buffer, metadata } = await opened();
      for (let from = 0; from < rows; from += CHUNK_ROWS) {
        const some = await parquetReadObjects({
          file: buffer,
          metadata,
          compressors,
          rowStart: from,
          rowEnd: Math.min(rows, from + CHUNK_ROWS),
        });
        yield some.map((values): RelatedRow =>
          Object.fromEntries(columns.map((column) => [column.name, textOf(values[column.name], column)])),
        );
      }
    },
  };
}

/**
 * The rows of a Parquet file as those of a plan's table, which is kept beside it.
 *
 * @throws YoroshiError `tableBroken` where the file has no such column.
 */
export async function parquetTable(file: string, name: string, key: readonly string[]): Promise<MadeRows> {
  const { columns } = await open(file, name);
  const missing = key.find((one) => !columns.some((column) => column.name === one));
  if (missing !== undefined)
    throw new YoroshiError("tableBroken", {
      table: name,
      place: "table",
      problem: `there is no column \`${missing}\` to name its rows. Columns: ${columns.map((column) => column.name).join(", ")}.`,
    });
  const source = parquetRows(file, name);
  return {
    name,
    columns: columns
      .filter((column) => !key.includes(column.name))
      .map((column) => ({ name: column.name, type: column.type, freeText: true })),
    async *rows() {
      let place = 0;
      const seen = new Set<string>();
      const { rows } = await open(file, name);
      for await (const some of source.rows()) {
        const chunk = some.map((values): Row => {
          place++;
          const where = `row ${place} of ${name}`;
          const own = values as Record<string, string>;
          const rowKey = joinKey(key.map((column) => own[column] ?? ""));
          const problem = rowKey === "" ? "its key is blank" : seen.has(rowKey) ? "an earlier row has the same key" : undefined;
          seen.add(rowKey);
          return { key: problem === undefined ? rowKey : where, place: where, values: own, ...(problem === undefined ? {} : { problem }) };
        });
        yield { rows: chunk, share: rows === 0 ? 1 : place / rows };
      }
    },
    mark: () => markOf(file),
  };
}

async function open(file: string, name: string) {
  try {
    const buffer = await asyncBufferFromFile(file);
    const metadata = await parquetMetadataAsync(buffer);
    const columns = parquetSchema(metadata).children.map(({ element }): Column => {
      const isDay = element.logical_type?.type === "DATE" || element.converted_type === "DATE";
      const isNumber = !isDay && /^(INT32|INT64|FLOAT|DOUBLE)$/.test(element.type ?? "") && element.logical_type?.type !== "TIMESTAMP";
      const isWhole =
        isNumber &&
        (element.type ?? "").startsWith("INT") &&
        element.logical_type?.type !== "DECIMAL" &&
        element.converted_type !== "DECIMAL";
      return { name: element.name, isDay, type: isWhole ? "integer" : isNumber ? "number" : "text" };
    });
    return { buffer, metadata, columns, rows: Number(metadata.num_rows) };
  } catch (error) {
    const { code } = error as { code?: string };
    throw new YoroshiError(
      "fileUnreadable",
      {
        file: name,
        problem:
          code === "ENOENT"
            ? "there is no such file"
            : code === "EACCES"
              ? "permission is denied"
              : "it is no Parquet file, or a damaged one",
      },
      { cause: error },
    );
  }
}

async function markOf(file: string): Promise<string> {
  const { size, mtimeMs, ino } = await stat(file);
  return createHash("sha256").update(`${size} ${mtimeMs} ${ino}`).digest("hex");
}

function textOf(value: unknown, { isDay }: Column): string {
  if (value === null || value === undefined) return "";
  if (value instanceof Date) return isDay ? value.toISOString().slice(0, 10) : value.toISOString().replace(/\.000Z$/, "Z");
  if (value instanceof Uint8Array) return `\\x${Buffer.from(value).toString("hex")}`;
  if (typeof value === "object") return JSON.stringify(value, (_, inner: unknown) => (typeof inner === "bigint" ? String(inner) : inner));
  return String(value);
}
