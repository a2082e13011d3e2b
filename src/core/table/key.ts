/** What names a row: one column, or several together. */
export type KeyColumns = string | readonly string[];

export const keyColumnsOf = (key: KeyColumns): readonly string[] => (typeof key === "string" ? [key] : key);

/**
 * The key of a row from the values of its key columns; empty where one of them is blank. The values of several columns
 * are joined by `|`; a `|` or `\` in them gets a `\` before it, so that no two rows come out alike.
 */
export function joinKey(values: readonly string[]): string {
  if (values.length === 1) return values[0]!.trim();
  const trimmed = values.map((value) => value.trim());
  return trimmed.includes("") ? "" : trimmed.map((value) => value.replace(/[\\|]/g, "\\$&")).join("|");
}

/** The values of a row's key columns from its key: the other way round. */
export function splitKey(key: string, columns: number): readonly string[] {
  if (columns === 1) return [key];
  const values = [""];
  for (const [, escaped, bar, other] of key.matchAll(/\\([\\|])|(\|)|([^\\|]+|\\)/g)) {
    if (bar !== undefined) values.push("");
    else values[values.length - 1] += escaped ?? other ?? "";
  }
  return values;
}
