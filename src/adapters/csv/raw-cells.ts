/**
 * The cells of a record as they stand in the file, quotes included, and how the record ends: nothing where the file breaks off.
 *
 * @param raw the record's own text, of a line end only the first character (as csv-parse gives it).
 * @param last the value of its last cell, which tells a carriage return that belongs to it from one that ends the record.
 */
export function rawCells(
  raw: string,
  delimiter: string,
  newline: string,
  last: string,
): { readonly cells: readonly string[]; readonly end: string } {
  const closes = raw.endsWith("\n") || raw.endsWith("\r");
  const body = closes ? raw.slice(0, -1) : raw;
  const cells: string[] = [];
  for (let start = 0; ;) {
    let end: number;
    if (body[start] === '"') {
      end = start + 1;
      // A doubled quote is one of the cell's own.
      for (;;) {
        end = body.indexOf('"', end);
        if (end < 0) break;
        if (body[end + 1] !== '"') break;
        end += 2;
      }
      end = end < 0 ? body.length : end + 1;
    } else {
      end = body.indexOf(delimiter, start);
      if (end < 0) end = body.length;
    }
    cells.push(body.slice(start, end));
    if (end >= body.length) break;
    start = end + delimiter.length;
  }
  if (raw.endsWith("\r") && newline !== "\r") {
    const own = cells.at(-1)!;
    if (!own.startsWith('"') && last === `${own}\r`) return { cells: [...cells.slice(0, -1), last], end: "" };
    return { cells, end: "\r\n" };
  }
  return { cells, end: closes ? raw.slice(-1) : "" };
}
