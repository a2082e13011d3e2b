import {
  asWrittenThere,
  inDatabase,
  sourceName,
  YoroshiError,
  type ErrorDetails,
  type Prepared,
  type RowsSource,
  type SampleOptions,
  type SampleRow,
  type Table,
  type TableSource,
  type Wanted,
} from "../core/index.js";

type OnNotice = (text: string) => void;

const isCsv = (source: RowsSource): boolean => !inDatabase(source) && !/\.(xls[xm]|jsonl|ndjson)$/i.test(source.file);

/** A plan's table with the numbers and days that it reads in plain form; see `asWrittenThere`. */
export function plainTable(table: Table, source: TableSource, wanted: Readonly<Record<string, Wanted>>, onFound: OnNotice): Table {
  const { numbers, dates, columns } = source;
  return asWrittenThere(table, { wanted, said: { numbers, dates, columns }, allText: isCsv(source), onFound });
}

/**
 * Samples with the numbers and days of inputs and of right values in plain form, however they are written.
 *
 * @throws YoroshiError `samplesUnfit` where a column can be read in two ways.
 */
export async function plainSamples(
  prepared: Prepared,
  source: RowsSource,
  columns: readonly string[],
  rows: readonly SampleRow[],
  { map }: SampleOptions,
  onFound: OnNotice,
): Promise<SampleRow[]> {
  const kinds = new Map(
    [...prepared.inputs, ...prepared.parts].map(({ name, kind }) => [(map?.[name] ?? name).toLowerCase(), kind.writtenAs]),
  );
  const wanted = Object.fromEntries(
    columns.flatMap((column) => {
      // `severity@Ana` is what one person says of `severity`.
      const what = kinds.get(column.trim().toLowerCase().replace(/@.*$/, ""));
      return what === undefined ? [] : [[column, what]];
    }),
  );
  const table = {
    name: sourceName(source),
    keyColumns: [],
    async *read() {
      yield { rows: rows.map((row) => ({ ...row, key: row.place })), share: 1 };
    },
  };
  try {
    const plain: SampleRow[] = [];
    for await (const { rows: some } of asWrittenThere(table, { wanted, said: {}, allText: isCsv(source), onFound }).read())
      plain.push(...some);
    return plain;
  } catch (error) {
    if (!(error instanceof YoroshiError) || error.code !== "writingUnclear") throw error;
    const { column, examples } = error.details as ErrorDetails<"writingUnclear">;
    throw new YoroshiError("samplesUnfit", {
      file: table.name,
      problem: `\`${column}\` can be read in two ways: ${examples.map(({ text, place }) => `\`${text}\` (${place})`).join(", ")}. Write numbers as 1234.5 and days as 2026-03-04.`,
    });
  }
}
