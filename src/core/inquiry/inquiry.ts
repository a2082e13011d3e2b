import { joinWords, nearest, plural } from "../ground/index.js";
import type { FigureSource } from "../ground/index.js";
import { isNumber, type InquiryColumn } from "./columns.js";

/** What must hold of a column. */
export interface InquiryCondition {
  readonly column: string;
  readonly is: "one of" | "none of" | "contains" | "at least" | "at most" | "above" | "below" | "blank" | "filled";
  readonly values: readonly string[];
}

export const CONDITIONS = ["one of", "none of", "contains", "at least", "at most", "above", "below", "blank", "filled"] as const;
export const FIGURES = ["count", "share", "sum", "mean", "median", "min", "max", "distinct"] as const;

/** A question to a table, as figures and conditions over its columns. */
export interface Inquiry {
  /** `count` and the like: one figure; `each`: the figure for each value of `by`; `list`: the rows; `read`: their words. */
  readonly what: "figure" | "each" | "list" | "read";
  readonly figure: (typeof FIGURES)[number];
  /** The column of a figure that needs one. */
  readonly of?: string | undefined;
  readonly by?: string | undefined;
  readonly conditions: readonly InquiryCondition[];
  /** Whether one condition is enough. */
  readonly any: boolean;
  /** Which groups, or rows, come first; and how many are wanted. */
  readonly order?: "most" | "least" | undefined;
  readonly limit?: number | undefined;
}

/** Why a question cannot be computed, and what it might mean instead. */
export interface AskBack {
  readonly problem: string;
  readonly readings: readonly string[];
}

/** An answer of the template that reads questions, as it is typed. */
export interface ReadInquiry {
  readonly understood: string;
  readonly what: string;
  readonly figure: string | null;
  readonly of: string | null;
  readonly by: string | null;
  readonly conditions: readonly { readonly column: string; readonly is: string; readonly values: readonly string[] }[];
  readonly any: boolean;
  readonly order: string | null;
  readonly limit: number | null;
  readonly unclear: readonly string[];
}

const NEEDS_NUMBERS = new Set(["sum", "mean", "median"]);

/** What a model read, held against the columns; or what is to be asked back. */
export function checkInquiry(
  read: ReadInquiry,
  columns: readonly InquiryColumn[],
): { readonly inquiry: Inquiry } | { readonly back: AskBack } {
  const back = (problem: string, readings: readonly string[] = []): { readonly back: AskBack } => ({ back: { problem, readings } });
  if (read.what === "unclear" || read.unclear.length > 0)
    return back(read.understood || "The question names nothing that the table has.", read.unclear);
  const named = new Map(columns.map((column) => [column.name, column]));
  const figure = (read.figure ?? "count") as Inquiry["figure"];
  const of = read.of ?? undefined;
  if (figure !== "count" && figure !== "share" && of === undefined)
    return back(
      `The ${figure} of which column is not said.`,
      columns.filter(({ holds }) => holds === "number" || holds === "scale").map(({ name }) => `the ${figure} of \`${name}\``),
    );
  const several = [of, read.by ?? undefined].find((name) => name !== undefined && named.get(name)?.of);
  if (several !== undefined)
    return back(
      `\`${several}\` is of other rows, of which a row may have several: figures of them come from a plan's \`related\` with \`figures\`.`,
    );
  if (of !== undefined && NEEDS_NUMBERS.has(figure) && !["number", "scale"].includes(named.get(of)!.holds))
    return back(`\`${of}\` holds no numbers, which a ${figure} needs.`);
  if (read.what === "each" && read.by === null)
    return back(
      "For each of what is not said.",
      columns.filter(({ holds }) => holds === "options").map(({ name }) => `for each \`${name}\``),
    );
  const conditions: InquiryCondition[] = [];
  for (const { column, is, values } of read.conditions) {
    const own = named.get(column)!;
    const how = is as InquiryCondition["is"];
    const given = values.map((value) => value.trim()).filter((value) => value !== "");
    if (how !== "blank" && how !== "filled" && given.length === 0) return back(`What \`${column}\` shall be is not said.`);
    if (["at least", "at most", "above", "below"].includes(how)) {
      if (own.holds === "day" ? !/^\d{4}-\d{2}-\d{2}/.test(given[0]!) : !isNumber(given[0]!))
        return back(`\`${column}\` cannot be ${how} \`${given[0]!}\`, which is no ${own.holds === "day" ? "day" : "number"}.`);
      if (!["number", "scale", "day"].includes(own.holds)) return back(`\`${column}\` has no sizes to compare.`);
    }
    if ((how === "one of" || how === "none of") && (own.holds === "options" || own.holds === "yesNo")) {
      const known = own.values.map(({ value }) => value);
      const resolved = given.map((value) => known.find((one) => one.toLowerCase() === value.toLowerCase()));
      const missing = given.find((_, index) => resolved[index] === undefined);
      if (missing !== undefined && own.holds === "options" && known.length > 0 && known.length < 40) {
        const near = nearest(missing, known);
        return back(
          `\`${column}\` has no value \`${missing}\`.`,
          near ? [`\`${column}\` is \`${near}\``] : known.slice(0, 8).map((one) => `\`${column}\` is \`${one}\``),
        );
      }
      conditions.push({ column, is: how, values: given.map((value, index) => resolved[index] ?? value) });
    } else conditions.push({ column, is: how, values: given });
  }
  const what = read.what === "figure" || read.what === "each" || read.what === "list" || read.what === "read" ? read.what : "figure";
  return {
    inquiry: {
      what,
      figure,
      ...(of === undefined ? {} : { of }),
      ...(read.by === null || what !== "each" ? {} : { by: read.by }),
      conditions,
      any: read.any && conditions.length > 1,
      ...(read.order === "most" || read.order === "least" ? { order: read.order } : {}),
      ...(read.limit === null || read.limit < 1 ? {} : { limit: Math.round(read.limit) }),
    },
  };
}

const quoted = (value: string): string => JSON.stringify(value);
const member = (column: string): string => (/^[A-Za-z_]\w*$/.test(column) ? `row.${column}` : `row[${quoted(column)}]`);
const escaped = (value: string): string => value.replace(/[.*+?^${}()|[\]\\/]/g, String.raw`\$&`);

/** A condition as CEL over `row`; of related rows, that one of them is so. */
function conditionCel(condition: InquiryCondition, column: InquiryColumn): string {
  const { of, figure } = column;
  if (figure) return testCel(condition, column, `${member(figure.rows)}${member(figure.name).slice("row".length)}`);
  if (!of) return testCel(condition, column, member(condition.column));
  const rows = member(of.rows);
  const own = member(of.column).replace(/^row/, "one");
  // None of them has a value.
  if (condition.is === "blank") return `!${rows}.exists(one, string(${own}) != "")`;
  return `${rows}.exists(one, ${testCel(condition, column, own)})`;
}

function testCel({ is, values }: InquiryCondition, { holds, isTyped }: InquiryColumn, own: string): string {
  const isNumeric = holds === "number" || holds === "scale";
  const sized = isNumeric ? `double(${own})` : own;
  const literal = (value: string): string => {
    if (isNumeric && isNumber(value)) return String(Number(value)).includes(".") ? String(Number(value)) : `${Number(value)}.0`;
    if (holds === "yesNo" && isTyped) return /^(yes|true|y|1)$/i.test(value) ? "true" : "false";
    return quoted(value);
  };
  const one = (value: string): string => `${isNumeric ? sized : own} == ${literal(value)}`;
  const several = values.length > 1 ? `(${values.map(one).join(" || ")})` : one(values[0] ?? "");
  switch (is) {
    case "one of":
      return several;
    case "none of":
      // What is blank is not known to be another.
      return `string(${own}) != "" && !(${several})`;
    case "contains":
      return values.map((value) => `string(${own}).matches(${quoted(`(?i)${escaped(value)}`)})`).join(" && ");
    case "blank":
      return `string(${own}) == ""`;
    case "filled":
      return `string(${own}) != ""`;
    default:
      return `${sized} ${{ "at least": ">=", "at most": "<=", above: ">", below: "<" }[is]} ${literal(values[0]!)}`;
  }
}

/** The conditions of an inquiry as CEL over `row`; `undefined` where there are none. */
export function inquiryCel(
  { conditions, any }: Pick<Inquiry, "conditions" | "any">,
  columns: readonly InquiryColumn[],
): string | undefined {
  if (conditions.length === 0) return undefined;
  const parts = conditions.map((condition) =>
    conditionCel(
      condition,
      columns.find(({ name }) => name === condition.column)!,
    ),
  );
  return parts.length === 1
    ? parts[0]
    : parts.map((part) => (/ (?:\|\||&&) /.test(part) && !part.startsWith("(") ? `(${part})` : part)).join(any ? " || " : " && ");
}

/** The figure of an inquiry as plans' `groups` have it. */
export function figureSource({ figure, of }: Pick<Inquiry, "figure" | "of">, where: string | undefined): FigureSource {
  if (figure === "count") return { count: "all" };
  if (figure === "share") return { share: where ?? "true" };
  return { [figure]: of! };
}

const IS_WORDS: Readonly<Record<InquiryCondition["is"], string>> = {
  "one of": "is",
  "none of": "has a value other than",
  contains: "contains",
  "at least": "is at least",
  "at most": "is at most",
  above: "is above",
  below: "is below",
  blank: "is blank",
  filled: "is not blank",
};

/** The conditions in words. */
export function conditionsTold({ conditions, any }: Pick<Inquiry, "conditions" | "any">): string {
  const parts = conditions.map(({ column, is, values }) =>
    `\`${column}\` ${IS_WORDS[is]}${values.length === 0 ? "" : ` ${values.map((value) => (isNumber(value) ? value : `“${value}”`)).join(" or ")}`}`.trim(),
  );
  return any ? parts.join(", or ") : joinWords(parts);
}

const FIGURE_WORDS: Readonly<Record<Inquiry["figure"], string>> = {
  count: "rows counted",
  share: "share of rows",
  sum: "sum",
  mean: "mean",
  median: "median",
  min: "least value",
  max: "greatest value",
  distinct: "number of different values",
};

/** A figure in words. */
export const figureTold = ({ figure, of }: Pick<Inquiry, "figure" | "of">): string =>
  `${FIGURE_WORDS[figure]}${of === undefined ? "" : ` of ${of}`}`;

/** How an inquiry is counted, in words. */
export function inquiryTold(inquiry: Inquiry, rows: number, matched: number): string {
  const { what, figure, of, by, order, limit } = inquiry;
  const about = inquiry.conditions.length > 0 ? ` where ${conditionsTold(inquiry)}` : "";
  const from = `${plural(matched, "row")} of ${rows.toLocaleString("en")}${about}`;
  const own = `${FIGURE_WORDS[figure]}${of === undefined ? "" : ` of \`${of}\``}`;
  if (what === "list") return `rows found: ${from}`;
  if (what === "read") return `read from ${from}`;
  if (what === "each")
    return `${own} for each \`${by}\`, over ${from}${order ? `; ${order === "most" ? "greatest" : "least"} first` : ""}${limit ? `, the first ${limit}` : ""}`;
  return figure === "share" ? `${own}${about}, of all ${rows.toLocaleString("en")} rows` : `${own}, over ${from}`;
}
