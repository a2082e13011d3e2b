import { csvRows, csvTable } from "../adapters/csv/index.js";
import { jsonlRows, jsonlTable } from "../adapters/jsonl/index.js";
import type { RowSource, Table, TableSource } from "../core/index.js";
import { insideProject } from "./files.js";

const isJsonLines = (file: string): boolean => /\.(jsonl|ndjson)$/i.test(file);

/** A plan's table, by its file's ending: JSON Lines, else CSV. */
export function openTable(root: string, { file, key }: TableSource, inPlace: boolean, onNotice: (text: string) => void): Table {
  const options = { file: insideProject(root, file), name: file, key, inPlace };
  return isJsonLines(file) ? jsonlTable(options) : csvTable({ ...options, onNotice });
}

/** The rows of any file table in a stream, where no row needs a key. */
export function openRows(absolute: string, name: string): RowSource {
  return isJsonLines(name) ? jsonlRows(absolute, name) : csvRows(absolute, name);
}
