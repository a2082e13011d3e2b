import type { CallInput } from "yoroshi/client";

export type Place = CallInput<"lookAtNew">["place"];

/** What stands in the address: a file with its sheet and header, or a database's table. */
export interface BeginSearch {
  readonly file?: string;
  readonly sheet?: string;
  readonly headerRow?: number;
  readonly database?: string;
  readonly table?: string;
}

export function beginSearch(given: Record<string, unknown>): BeginSearch {
  const text = (key: string): Record<string, string> => (typeof given[key] === "string" && given[key] !== "" ? { [key]: given[key] } : {});
  const row = Number(given["headerRow"]);
  return { ...text("file"), ...text("sheet"), ...text("database"), ...text("table"), ...(row >= 1 ? { headerRow: row } : {}) };
}

export function placeOf({ file, sheet, headerRow, database, table }: BeginSearch): Place | undefined {
  if (file !== undefined) return { file, ...(sheet === undefined ? {} : { sheet }), ...(headerRow === undefined ? {} : { headerRow }) };
  return database !== undefined && table !== undefined ? { database, table } : undefined;
}
