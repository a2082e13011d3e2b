import { joinKey, keyColumnsOf, YoroshiError, type CellOut, type KeyColumns, type TargetColumn } from "../../core/index.js";
import { KeySet, usableKey, type FileFormat, type FileRow, type NamedFile, type RowChange } from "../../files/index.js";
import { sourcesOf, valuesOf, withMembers, type NewMember } from "./line.js";
import { readLines } from "./lines.js";

/** Where a row's whole line stands among its sources. */
const WHOLE_LINE = "";
const NO_OBJECT = "the line is not a JSON object";

/**
 * JSON Lines: one object on each line. What is filled becomes members of the object, numbers and true or false as such; all
 * else on a line stays byte for byte.
 */
export function jsonlFormat(keyColumns: KeyColumns): FileFormat {
  const key = keyColumnsOf(keyColumns);
  return {
    columns: ({ file, name }) => columnsOf(file, name),
    async *rows({ file, name }, { sources = false } = {}) {
      const columns = await columnsOf(file, name);
      const missing = key.find((column) => !columns.includes(column));
      if (missing !== undefined)
        throw new YoroshiError("tableBroken", {
          table: name,
          place: "line 1",
          problem: `no line has a member \`${missing}\` for the key. Members: ${columns.join(", ")}.`,
        });
      for await (const { rows, lines, share } of rowsOf({ file, name }, key))
        yield {
          rows: rows.flatMap((row, index) =>
            row
              ? [sources ? { ...row, sources: { ...sourcesOf(lines[index]!), [WHOLE_LINE]: lines[index]!.replace(/[\r\n]+$/, "") } } : row]
              : [],
          ),
          share,
        };
    },
    async write(base, _target, begin, write) {
      const changes = begin();
      let endsOpen = false;
      let newline = "\n";
      const changed = (line: string, change: RowChange): string =>
        withMembers(line, { ...broughtMembers(change), ...filledMembers(changes.columns, change.cells) });
      for await (const { rows, lines } of base ? rowsOf(base, key) : []) {
        const usable = rows.flatMap((row) => (row && row.problem !== NO_OBJECT ? [row] : []));
        const found = new Map((await changes.of(usable)).map((change, index) => [usable[index]!, change]));
        const text = lines
          .map((line, index) => {
            const row = rows[index];
            const change = row && found.get(row);
            return change?.goes ? "" : change ? changed(line, change) : line;
          })
          .join("");
        if (text !== "") endsOpen = !/[\r\n]$/.test(text);
        if (/\r\n/.test(lines[0] ?? "")) newline = "\r\n";
        await write(Buffer.from(text, "utf8"));
      }
      for await (const rows of changes.added()) {
        const text = rows
          .map(
            ({ values, sources, cells }) =>
              `${changed(sources?.[WHOLE_LINE]?.replace(/^\ufeff/, "") ?? JSON.stringify(values), { cells })}${newline}`,
          )
          .join("");
        await write(Buffer.from(`${endsOpen ? newline : ""}${text}`, "utf8"));
        endsOpen = false;
      }
    },
    // Nothing that reads JSON runs a text as a formula.
    asWritten: (_column, value) => String(value),
  };
}

function filledMembers(columns: readonly TargetColumn[], cells: Readonly<Record<string, CellOut>> | undefined): Record<string, NewMember> {
  return Object.fromEntries(
    columns.flatMap(({ name }) => {
      const cell = cells?.[name];
      return cell === undefined ? [] : [[name, { value: typeof cell === "object" ? cell.asIs : cell }]];
    }),
  );
}

/** A member that the source no longer has goes. */
function broughtMembers({ brought = {} }: RowChange): Record<string, NewMember> {
  return Object.fromEntries(
    Object.entries(brought).map(([name, { source }]) => [name, source === undefined ? ("gone" as const) : { source }]),
  );
}

/** The members that occur anywhere in the file, in the order in which they are first seen. */
export async function columnsOf(file: string, name: string): Promise<string[]> {
  const names = new Set<string>();
  for await (const { lines } of readLines(file, name))
    for (const line of lines) for (const member of Object.keys(valuesOf(line) ?? {})) names.add(member);
  if (names.size === 0)
    throw new YoroshiError("tableBroken", { table: name, place: "line 1", problem: "the file has no line with a JSON object." });
  return [...names];
}

/** For each line its row; `undefined` for blank lines. */
async function* rowsOf(
  { file, name }: NamedFile,
  key: readonly string[],
): AsyncGenerator<{ rows: (FileRow | undefined)[]; lines: readonly string[]; share: number }> {
  const seen = new KeySet();
  for await (const { lines, first, share } of readLines(file, name))
    yield { rows: lines.map((line, index) => rowOf(line, first + index, key, seen)), lines, share };
}

function rowOf(line: string, number: number, keyColumns: readonly string[], seen: KeySet): FileRow | undefined {
  if (line.trim() === "" || line === "\ufeff") return undefined;
  const place = `line ${number}`;
  const values = valuesOf(line);
  if (!values) return { key: `(${place})`, place, values: {}, unnamed: true, problem: NO_OBJECT };
  return { ...usableKey(joinKey(keyColumns.map((column) => values[column] ?? "")), number, "line", seen), place, values };
}
