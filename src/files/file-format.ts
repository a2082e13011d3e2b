import type { CellOut, CellValue, Row, StatesOf, TargetColumn, TopRow } from "../core/index.js";

/** A file, and what messages call it. */
export interface NamedFile {
  readonly file: string;
  readonly name: string;
}

/** A row of a file. */
export interface FileRow extends Row {
  /** It has no key of its own, or one that an earlier row has, so that it is named by its place. */
  readonly unnamed?: true | undefined;
  /** Columns in which a formula stands: its value is computed, nobody wrote it. */
  readonly computed?: ReadonlySet<string> | undefined;
  /** By column what stands in the file, in the format's own form, where text alone would lose something. */
  readonly sources?: Readonly<Record<string, string>> | undefined;
}

/** What is done with one row of the file that is written; nothing at all leaves it as it stands. */
export interface RowChange {
  /** It is left out. */
  readonly goes?: boolean | undefined;
  /** What is filled. */
  readonly cells?: Readonly<Record<string, CellOut>> | undefined;
  /** What the source has anew, by column. */
  readonly brought?: Readonly<Record<string, BroughtCell>> | undefined;
}

/** A cell that comes from another file of the same format. */
export interface BroughtCell {
  readonly text: string;
  readonly source?: string | undefined;
}

/** A row that the file lacks. */
export interface NewRow {
  readonly key: string;
  readonly values: Readonly<Record<string, string>>;
  readonly sources?: Readonly<Record<string, string>> | undefined;
  readonly cells: Readonly<Record<string, CellOut>> | undefined;
}

/** What a file is written with. */
export interface FileChanges {
  /** The columns that are filled. */
  readonly columns: readonly TargetColumn[];
  /** Further columns that come from the source. */
  readonly brought: readonly string[];
  /** Whether rows may go and come, and cells of the source change. */
  readonly carries: boolean;
  /** The file holds rows that Yoroshi makes: new ones may stand in rows that are blank, or become so. `added` knows all once `of` saw all. */
  readonly grows: boolean;
  /** For rows of the base, in order. */
  of(rows: readonly FileRow[]): Promise<readonly RowChange[]>;
  /** Rows that come last; asked for once `of` saw all rows. */
  added(): AsyncIterable<readonly NewRow[]>;
  readonly statesOf: StatesOf | undefined;
}

/** So many rows are looked at for a header that stands below a title. */
export const TOP_ROWS = 30;

/** What differs between kinds of files. Its rows have their keys. */
export interface FileFormat {
  readonly showsStates?: boolean | undefined;
  /** @throws YoroshiError where the file cannot be read. */
  columns(from: NamedFile): Promise<readonly string[]>;
  /** The first rows from the top, whether or not they are the table's. */
  topRows?(from: NamedFile): Promise<readonly TopRow[]>;
  /** @param options.sources whether rows have `sources`. @param options.tell whether what a person should know is told. */
  rows(
    from: NamedFile,
    options?: { readonly sources?: boolean; readonly tell?: boolean },
  ): AsyncIterable<{ readonly rows: readonly FileRow[]; readonly share: number }>;
  /**
   * Writes a file with changes; what they do not name stays byte for byte.
   *
   * @param base the file as it stands; none where there is none yet.
   * @param begin gives the changes from the first row on, also a second time.
   */
  write(base: NamedFile | undefined, target: NamedFile, begin: () => FileChanges, write: (bytes: Buffer) => Promise<void>): Promise<void>;
  /** The text that is read from a cell once a value stands in it. */
  asWritten(column: TargetColumn, value: CellValue): string;
}
