import type { TopRow } from "./table.js";

/** So many rows that could be the header are named. */
const MOST_NAMED = 3;

/**
 * Tells which rows below look like a header, where what was taken for one is a title; blank where none does. A row looks
 * like one when it has the column that is missed, or more names than there are columns.
 *
 * @param settable whether the plan can say which row it is (`headerRow`); else the rows above it must go.
 */
export function headerAdvice(
  top: readonly TopRow[],
  { columns, missing }: { readonly columns: readonly string[]; readonly missing?: string | undefined },
  settable: boolean,
): string {
  const below = top.filter(({ cells }) => !isSame(named(cells), columns));
  const having = missing === undefined ? [] : below.filter(({ cells }) => cells.some((cell) => cell.trim() === missing));
  const like = having.length > 0 ? having : below.filter(({ cells }) => isHeader(named(cells)) && named(cells).length > columns.length);
  const [first, ...others] = like.slice(0, MOST_NAMED);
  if (!first) return "";
  const shown = ({ row, cells }: TopRow): string =>
    `row ${row} (${named(cells).slice(0, 4).join(", ")}${named(cells).length > 4 ? ", …" : ""})`;
  const which =
    others.length === 0
      ? `Row${shown(first).slice(3)} looks like the header`
      : `These rows look like a header: ${[first, ...others].map(shown).join("; ")}`;
  return ` ${which}: ${settable ? `say \`headerRow: ${first.row}\` under \`table:\`` : "remove the rows above it"}.`;
}

const named = (cells: readonly string[]): string[] => cells.map((cell) => cell.trim()).filter((cell) => cell !== "");
const isHeader = (names: readonly string[]): boolean =>
  names.length >= 2 && new Set(names).size === names.length && names.filter((name) => /\p{L}/u.test(name)).length > names.length / 2;
const isSame = (one: readonly string[], other: readonly string[]): boolean =>
  one.length === other.length && one.every((name, index) => name === other[index]);
