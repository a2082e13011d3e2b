import { stripVTControlCharacters } from "node:util";
import { plural } from "../../core/ground/index.js";
import type { RandomCheck, ReviewFigures, ReviewReport, ReviewRow } from "../../jobs/index.js";
import { cut, duration, good, heading, out, percent, quiet, table, warn } from "./print.js";
import { visible } from "./visible.js";

const width = (): number => Math.max(60, Math.min(140, process.stdout.columns ?? 100));

/** A text in lines of so many characters. */
function wrapped(text: string, length: number): string[] {
  const lines: string[] = [];
  for (const paragraph of visible(text, false).split("\n")) {
    let line = "";
    for (const word of paragraph.split(" ")) {
      if (line !== "" && line.length + 1 + word.length > length) {
        lines.push(line);
        line = "";
      }
      line = line === "" ? word : `${line} ${word}`;
      while (line.length > length) {
        lines.push(line.slice(0, length));
        line = line.slice(length);
      }
    }
    lines.push(line);
  }
  return lines;
}

const MOST_LINES = 18;

/** Two columns of lines, a thin line between them; colours count nothing. */
function beside(left: readonly string[], right: readonly string[], leftWidth: number): string {
  const rows = Math.max(left.length, right.length);
  return Array.from({ length: rows }, (_, index) => {
    const text = left[index] ?? "";
    const shown = stripVTControlCharacters(text).length;
    return `  ${text}${" ".repeat(Math.max(0, leftWidth - shown))} ${quiet("│")} ${right[index] ?? ""}`.trimEnd();
  }).join("\n");
}

/** The row's own text, what the template reads first. */
function rowLines({ row, reads }: Pick<ReviewRow, "row" | "reads">, length: number): string[] {
  const own = reads.filter((column) => row[column]);
  const lines = own.flatMap((column) => [...(own.length > 1 ? [quiet(column)] : []), ...wrapped(row[column]!, length)]);
  return lines.length > MOST_LINES ? [...lines.slice(0, MOST_LINES - 1), quiet(`… ${lines.length - MOST_LINES + 1} more lines`)] : lines;
}

/** What else is known of a row. */
function knownLine({ row, reads }: Pick<ReviewRow, "row" | "reads">): string {
  const others = Object.entries(row).filter(([column]) => !reads.includes(column));
  return others.map(([column, value]) => `${column} ${cut(value, 40)}`).join(" · ");
}

/** A row that waits: its text beside the values, why it is held, what was said before. */
export function printWaiting(row: ReviewRow, place: string): void {
  const total = width();
  const left = Math.floor(total * 0.55);
  const name = Math.min(20, Math.max(...row.values.map(({ column }) => column.length)));
  const right = row.values.flatMap(({ column, value, stands, edited }) => {
    const lines = wrapped(String(value), total - left - name - 8);
    const now = edited ?? stands;
    return [
      `${cut(column, name).padEnd(name)}  ${heading(lines[0] ?? "")}`,
      ...lines.slice(1).map((line) => `${" ".repeat(name + 2)}${heading(line)}`),
      ...(now === undefined ? [] : [quiet(`${" ".repeat(name + 2)}in the table: ${cut(String(now), 40)}`)]),
    ];
  });
  const besides = Object.entries(row.besides).map(([column, value]) => quiet(`${column}: ${cut(String(value), 40)}`));
  out(`\n${heading(row.key)}  ${quiet(`${row.place} · ${place}`)}  ${warn(`held: ${row.why}`)}`);
  out(beside(rowLines(row, left - 2), [...right, ...besides], left));
  const known = knownLine(row);
  if (known) out(quiet(`  ${known}`));
  for (const note of row.notes) out(quiet(`  ${note}`));
  for (const { column, said, disputed, earlier } of row.values) {
    for (const one of said) out(warn(`  ${one.by} says of ${column}: ${saidOf(one)}${disputed ? " (not agreed)" : ""}`));
    for (const one of earlier.slice(0, 2)) out(quiet(`  ${column} earlier: ${one.by}, ${one.at.slice(0, 10)}: ${saidOf(one)}`));
  }
  if (row.alike > 1) out(quiet(`  ${plural(row.alike, "row")} wait with the same values`));
}

const saidOf = ({ how, value, given, reason }: ReviewRow["values"][number]["said"][number]): string => {
  const what = how === "accept" ? `${value} accepted` : how === "edit" ? `${given} instead of ${value}` : `${value} rejected`;
  return reason ? `${what} (${reason})` : what;
};

/** A row of a random check: without the values that are to be found. */
export function printToCheck(row: RandomCheck["rows"][number], place: string): void {
  out(`\n${heading(row.key)}  ${quiet(`${row.place} · ${place}`)}`);
  for (const line of rowLines(row, width() - 6)) out(`  ${quiet("│")} ${line}`);
  const known = knownLine(row);
  if (known) out(quiet(`  ${known}`));
}

/** What options or points mean, once before the first row. */
export function printLegend(columns: ReviewReport["columns"][string]): void {
  for (const { column, meanings, options } of columns) {
    if (!meanings.some(({ about }) => about)) continue;
    out(heading(column));
    for (const [index, one] of meanings.entries())
      out(`  ${options.length > 0 ? `${index + 1} ` : ""}${one.name}${one.about ? quiet(`  ${one.about}`) : ""}`);
  }
}

/** How wrong columns are, and who agrees with whom. */
export function printFigures({ plan, checks, people }: ReviewFigures): void {
  out(heading(`Review of ${plan}`));
  if (checks.length === 0)
    out(`No random check of the cells as they are asked now. ${quiet(`Draw one: \`yoroshi review ${plan} --check\`.`)}`);
  for (const check of checks) {
    out(
      `\n${heading(`Random check of ${check.step}`)}  ${quiet(`version ${check.version}, ${check.model}; drawn ${check.drawn.slice(0, 10)} from ${plural(check.population, "row")}`)}`,
    );
    out(
      table(
        ["column", "checked", "wrong", "share", "of all, 95 % sure", "", "release"],
        check.columns.map((one) => [
          one.column,
          one.checked,
          one.wrong,
          one.checked === 0 ? "–" : percent(one.wrong / one.checked),
          one.bounds ? `${one.bounds.low} to ${one.bounds.high} of ${one.population}` : "–",
          one.bounds ? bar(one.wrong / Math.max(1, one.checked), one.bounds.low / one.population, one.bounds.high / one.population) : "",
          releaseTold(one),
        ]),
        { right: [1, 2, 3] },
      ),
    );
    printBy(
      "value",
      check.columns.flatMap(({ column, byValue }) => Object.entries(byValue).map(([value, of]) => [`${column} = ${value}`, of] as const)),
    );
    printBy(
      "slice",
      check.columns.flatMap(({ column, bySlice }) =>
        Object.entries(bySlice).flatMap(([slice, values]) =>
          Object.entries(values).map(([value, of]) => [`${column}, ${slice} ${value}`, of] as const),
        ),
      ),
    );
    if (check.left > 0) out(quiet(`  ${plural(check.left, "row")} of the draw still to be checked.`));
    if (check.movedOn > 0) out(quiet(`  ${plural(check.movedOn, "drawn row")} left out: the answers have changed since.`));
  }
  printPeople(people);
}

type Wrong = ReviewFigures["checks"][number]["columns"][number]["byValue"][string];

function printBy(what: string, rows: readonly (readonly [string, Wrong])[]): void {
  const checked = rows.filter(([, of]) => of.checked > 0).sort((a, b) => b[1].wrong / b[1].checked - a[1].wrong / a[1].checked);
  if (checked.length === 0) return;
  out(
    table(
      [`by ${what}`, "checked", "wrong", "of all, 95 % sure"],
      checked
        .slice(0, 12)
        .map(([name, of]) => [cut(name, 50), of.checked, of.wrong, `${of.bounds!.low} to ${of.bounds!.high} of ${of.population}`]),
      { right: [1, 2] },
    ),
  );
}

const BAR = 20;

/** A share with its bounds, on a line from nothing to all. */
function bar(share: number, low: number, high: number): string {
  const at = (value: number): number => Math.min(BAR - 1, Math.floor(value * BAR));
  const cells = Array.from({ length: BAR }, (_, index) => (index === at(share) ? "●" : index >= at(low) && index <= at(high) ? "━" : "·"));
  return cells.join("");
}

function releaseTold({ release, isReleased, checked }: ReviewFigures["checks"][number]["columns"][number]): string {
  if (isReleased) return good("released");
  if (!release) return "";
  if (release.more === null) return warn("cannot be shown any more");
  return checked === 0
    ? `${plural(release.more, "row")} needed`
    : `at most ${release.mostWrong} wrong: ${plural(release.more, "more right row")} would show it`;
}

function printPeople({ reviewers, together, versions, undone }: ReviewFigures["people"]): void {
  if (reviewers.length === 0) return;
  out(`\n${heading("Who decided")}`);
  out(
    table(
      ["", "values", "accepted", "changed", "rejected", "time a row"],
      reviewers.map((one) => [
        one.by,
        one.decided,
        one.accepted,
        one.changed,
        one.rejected,
        one.medianMs === null ? "–" : duration(one.medianMs),
      ]),
      { right: [1, 2, 3, 4, 5] },
    ),
  );
  if (together.judged > 0)
    out(
      quiet(
        `  ${plural(together.judged, "value")} judged by several: ${percent(together.same / together.judged)} the same${together.kappa === null ? "" : `, kappa ${together.kappa.toFixed(2)}`}.`,
      ),
    );
  out(
    table(
      ["step", "version", "model", "decided", "changed", "blind, the same"],
      versions.map((one) => [
        one.step,
        one.version ?? "–",
        one.model ?? "–",
        one.decided,
        `${one.changed} (${percent(one.changed / Math.max(1, one.decided))})`,
        one.blind.judged === 0 ? "–" : `${one.blind.same} of ${one.blind.judged}`,
      ]),
      { right: [1, 3, 4, 5] },
    ),
  );
  if (undone > 0) out(quiet(`  ${plural(undone, "decision")} taken back.`));
}
