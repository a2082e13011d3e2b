const LARGE_CHARS = 320;

/** A row as one reads it: what the template reads large, all else in one small line. */
export function RowText({
  keyOf,
  row,
  reads,
}: {
  readonly keyOf: string;
  readonly row: Readonly<Record<string, string>>;
  readonly reads: readonly string[];
}) {
  const others = Object.entries(row).filter(([column, value]) => !reads.includes(column) && value !== "" && value !== keyOf);
  const texts = reads.filter((column) => row[column]);
  const length = texts.reduce((sum, column) => sum + row[column]!.length, 0);
  return (
    <>
      <p className="fig row-head">
        <b>{keyOf}</b>
        {others.length > 0 ? `, ${others.map(([, value]) => value).join(", ")}` : ""}
      </p>
      {texts.map((column) => (
        <blockquote key={column} className={length > LARGE_CHARS ? "long" : undefined} aria-label={column}>
          {texts.length > 1 ? <small>{column}</small> : null}
          {row[column]}
        </blockquote>
      ))}
      {texts.length === 0 ? <p className="quiet">The columns that the template reads are empty.</p> : null}
    </>
  );
}
