import { YoroshiError, type ColumnWriting, type TableWriting } from "../ground/index.js";
import type { Chunk, Row, Table } from "./table.js";

/** What is read from a column's text: numbers, days, or whichever of the two stands there. */
export type Wanted = "numbers" | "dates" | "either";

type NumberForm = "comma" | "point";
type DayForm = "dayFirst" | "monthFirst";

/** What the text of one cell tells of how its column is written. */
type Sign<Form> = Form | "unclear" | undefined;

/** Which column is read as what, and what its plan says of how it is written. */
export interface WritingOptions {
  readonly wanted: Readonly<Record<string, Wanted>>;
  /** Of all columns that are read as numbers or days; of its single columns also where only conditions read them. */
  readonly said: TableWriting;
  /** Every cell is text, so that `1.234` may be a thousand and some; elsewhere numbers stand as the table keeps them. */
  readonly allText: boolean;
  /** Told of every column that is written in another way than `1234.5` and `2026-03-04`. */
  readonly onFound?: ((text: string) => void) | undefined;
}

/**
 * A table whose numbers and days are written as people in some countries write them (`1.234,56`, `01/06/2026`), read as if
 * they stood there as `1234.56` and `2026-06-01`. What a plan does not say is found from all values of a column; a cell that
 * does not fit the rest makes its row unusable, and is never read in another way than the others. Writing is not changed.
 *
 * @throws YoroshiError `writingUnclear`, when it is read, where a column can be read in two ways.
 */
export function asWrittenThere<T extends Readable>(table: T, options: WritingOptions): T {
  const names = [...new Set([...Object.keys(options.wanted), ...Object.keys(options.said.columns ?? {})])].filter(
    (name) => !table.keyColumns.includes(name),
  );
  if (names.length === 0) return table;
  let found: Promise<readonly ReadColumn[]> | undefined;
  return {
    ...table,
    async *read(): AsyncGenerator<Chunk> {
      const columns = await (found ??= findWriting(table, names, options));
      for await (const { rows, share } of table.read())
        yield { rows: columns.length === 0 ? rows : rows.map((row) => plainRow(row, columns, options.allText)), share };
    },
  };
}

type Readable = Pick<Table, "name" | "keyColumns" | "read">;

/** A column whose text is put in its plain form. */
interface ReadColumn {
  readonly name: string;
  readonly numbers?: NumberForm | undefined;
  readonly dates?: DayForm | undefined;
}

function plainRow(row: Row, columns: readonly ReadColumn[], allText: boolean): Row {
  const values: Record<string, string> = { ...row.values };
  let problem = row.problem;
  for (const column of columns) {
    const text = values[column.name];
    if (text === undefined || !/\d/.test(text)) continue;
    const plain = plainText(text, column, allText);
    if (plain !== undefined) values[column.name] = plain;
    else
      problem ??= `\`${column.name}\` is not written as its column is (${formName(column)}); mend the cell, or say with \`${column.dates ? "dates" : "numbers"}\` at the table how it is written`;
  }
  return { ...row, values, problem };
}

const formName = ({ numbers, dates }: ReadColumn): string => FORM_NAMES[(dates ?? numbers)!];

/** The text with its number or day in plain form; as it is where there is none; `undefined` where it contradicts the form. */
export function plainText(text: string, { numbers, dates }: Omit<ReadColumn, "name">, allText = true): string | undefined {
  const day = dates && daySign(text);
  if (day) return day === "unclear" || day === dates ? plainDay(text, dates) : undefined;
  const number = numbers && numberSign(text, allText);
  if (!number) return text;
  return number === "unclear" || number === numbers ? text.replace(NUMBER, (digits) => plainDigits(digits, numbers)) : undefined;
}

const SPACES = "[ \\u00a0\\u2009\\u202f'’]";
/** A number with whatever stands between its digits. */
const NUMBER = new RegExp(`\\d(?:[\\d.,]|${SPACES}(?=\\d{3}(?!\\d)))*`, "u");
const DAY = /^(\s*)(\d{1,2})([./-])(\d{1,2})\3(\d{4})(?=$|[\sT,])/;

function plainDigits(number: string, form: NumberForm): string {
  const bare = number.replace(new RegExp(SPACES, "gu"), "");
  return form === "comma" ? bare.replaceAll(".", "").replace(",", ".") : bare.replaceAll(",", "");
}

/** What a text with one number in it tells; `undefined` where it holds none, several, or no separator. */
function numberSign(text: string, allText: boolean): Sign<NumberForm> {
  if (!allText && /^-?\d+(\.\d+)?$/.test(text.trim())) return undefined; // a number as the table keeps it
  const number = NUMBER.exec(text)?.[0];
  if (number === undefined || /\d/.test(text.replace(NUMBER, ""))) return undefined;
  const marks = number.replace(/[^.,]/g, "");
  const last = marks.at(-1);
  if (last === undefined) return undefined;
  const asDecimal = last === "," ? "comma" : "point";
  const asGroups = last === "," ? "point" : "comma";
  if (marks.includes(last === "," ? "." : ",")) return asDecimal;
  if (marks.length > 1) return asGroups;
  const [whole = "", rest = ""] = number.split(last);
  // `0.125` and `1234,500` group nothing.
  return rest.length === 3 && !whole.startsWith("0") && whole.length <= 3 ? "unclear" : asDecimal;
}

/** What a text that begins with a day in figures tells. */
function daySign(text: string): Sign<DayForm> {
  const found = DAY.exec(text);
  if (!found) return undefined;
  const [first, second] = [Number(found[2]), Number(found[4])];
  if (first > 12) return second > 12 ? undefined : "dayFirst";
  return second > 12 ? "monthFirst" : "unclear";
}

const plainDay = (text: string, form: DayForm): string =>
  text.replace(DAY, (_all, before: string, first: string, _mark: string, second: string, year: string) => {
    const [day, month] = form === "dayFirst" ? [first, second] : [second, first];
    return `${before}${year}-${month.padStart(2, "0")}-${day.padStart(2, "0")}`;
  });

/** The cells of a column in one form, and one of them. */
interface Seen {
  readonly counts: Record<string, number>;
  readonly examples: Record<string, { readonly text: string; readonly place: string }>;
}

async function findWriting(
  table: Readable,
  names: readonly string[],
  { wanted, said: { columns = {}, ...all }, allText, onFound }: WritingOptions,
): Promise<ReadColumn[]> {
  const read = names.map((name): ReadColumn & { seen: Partial<Record<"numbers" | "dates", Seen>> } => {
    const what = wanted[name];
    const { numbers, dates }: ColumnWriting = { ...(what === undefined ? {} : all), ...columns[name] };
    const [isNumber, isDay] = [what !== "dates", what !== "numbers"];
    return {
      name,
      numbers: isNumber ? numbers : undefined,
      dates: isDay ? dates : undefined,
      seen:
        what === undefined
          ? {}
          : {
              ...(isNumber && numbers === undefined ? { numbers: newSeen() } : {}),
              ...(isDay && dates === undefined ? { dates: newSeen() } : {}),
            },
    };
  });
  if (read.some(({ seen }) => seen.numbers ?? seen.dates)) {
    for await (const { rows } of table.read()) for (const row of rows) for (const { name, seen } of read) look(row, name, seen, allText);
  }
  return read.flatMap(({ name, numbers, dates, seen }) => {
    const found = {
      numbers: seen.numbers && decided(table, name, "numbers", seen.numbers),
      dates: seen.dates && decided(table, name, "dates", seen.dates),
    };
    if (found.numbers) onFound?.(toldForm(table, name, "numbers", found.numbers, seen.numbers!));
    if (found.dates) onFound?.(toldForm(table, name, "dates", found.dates, seen.dates!));
    const column = { name, numbers: numbers ?? found.numbers, dates: dates ?? found.dates };
    return (column.numbers ?? column.dates) ? [column] : [];
  });
}

const FORMS = { numbers: ["comma", "point"], dates: ["dayFirst", "monthFirst"] } as const;
const FORM_NAMES = { comma: "a decimal comma", point: "a decimal point", dayFirst: "the day first", monthFirst: "the month first" };

function toldForm(table: Readable, column: string, what: "numbers" | "dates", form: NumberForm | DayForm, { examples }: Seen): string {
  const other = FORMS[what].find((one) => one !== form)!;
  return `${table.name}: \`${column}\` is read with ${FORM_NAMES[form]}, as in \`${(examples[form] ?? examples["unclear"])!.text}\`. \`${what}: ${other}\` at the table would say otherwise.`;
}

const newSeen = (): Seen => ({ counts: {}, examples: {} });

function look(row: Row, name: string, seen: Partial<Record<"numbers" | "dates", Seen>>, allText: boolean): void {
  const text = row.values[name]?.trim();
  if (!text) return;
  const day = daySign(text);
  if (seen.dates && day) count(seen.dates, day === "unclear" && /^\d+\./.test(text) ? "points" : day, text, row.place);
  const number = seen.numbers && day === undefined ? numberSign(text, allText) : undefined;
  if (number) count(seen.numbers!, number, text, row.place);
}

function count({ counts, examples }: Seen, form: string, text: string, place: string): void {
  counts[form] = (counts[form] ?? 0) + 1;
  examples[form] ??= { text: text.slice(0, 30), place };
}

/**
 * The form that all values of a column agree on; `undefined` where nothing needs one, and for the decimal point, which is
 * what everything else reads. Days with points between have the day first unless their figures forbid it.
 *
 * @throws YoroshiError `writingUnclear`.
 */
function decided<What extends "numbers" | "dates">(
  table: Readable,
  column: string,
  what: What,
  { counts, examples }: Seen,
): Exclude<(typeof FORMS)[What][number], "point"> | undefined {
  const [one, other] = FORMS[what];
  const unclear = (...forms: string[]): YoroshiError =>
    new YoroshiError("writingUnclear", {
      table: table.name,
      column,
      what,
      forms: FORMS[what],
      examples: forms.map((form) => examples[form]!),
    });
  if (counts[one] && counts[other]) throw unclear(one, other);
  const form = counts[one] ? one : counts[other] ? other : undefined;
  if (form === undefined && counts["unclear"]) throw unclear("unclear");
  const last = form ?? (counts["points"] ? "dayFirst" : undefined);
  if (form === undefined && last) examples[last] = examples["points"]!;
  return (last === "point" ? undefined : last) as ReturnType<typeof decided<What>>;
}
