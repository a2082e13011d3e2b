import { canonicalJson, readFormula, readFormulaOver, sha256Hex } from "../ground/index.js";
import type { CellType, CellValue } from "../table/index.js";
import { parsePlainText } from "../template/index.js";
import type { MadeOf, OwnColumn, RuledColumn, SetStep } from "./plan.js";

/** A plain column, ready to be made for many rows. */
export interface ReadySet {
  readonly column: string;
  readonly type: CellType;
  /** Whether words stand in it that could be taken for a formula. */
  readonly freeText: boolean;
  /** The columns that it reads. */
  readonly reads: readonly string[];
  /** Its value for a row; a reason instead where it cannot be made. */
  value(row: Readonly<Record<string, unknown>>): { readonly value: CellValue } | { readonly reason: string };
}

/** Reads what a plain column is made of. `problem` says in one line what is wrong with it. */
export function readSet(column: string, source: SetStep["set"][string]): { set?: ReadySet; problem?: string } {
  if (typeof source === "object" && "own" in source) return { set: readyOwn(source.own) };
  if (typeof source === "object" && "ruled" in source) return { set: readyRuled(source.ruled) };
  if (typeof source === "string") {
    const { text, problem } = parsePlainText(source, "row");
    if (!text) return { problem: problem! };
    return { set: { column, type: "text", freeText: true, reads: text.members, value: (row) => ({ value: text.render(row) }) } };
  }
  const { formula, type, problem } = readFormula(source.cel, "row");
  if (!formula) return { problem: problem! };
  return {
    set: {
      column,
      ...typeOf(type),
      reads: formula.members,
      value: (row) => {
        const result = formula.evaluate(row);
        if ("reason" in result) return { reason: `\`${column}\` ${result.reason}` };
        const value = cellOf(result.value);
        return value === undefined ? { reason: `\`${column}\` gives neither text nor a number nor true or false` } : { value };
      },
    },
  };
}

/** A column's value that a rule gives, made of a row and of the row as the rule last saw it. */
export interface RuleValue extends Pick<ReadySet, "column" | "type" | "freeText" | "reads"> {
  /** The columns of the row as it was. */
  readonly readsBefore: readonly string[];
  /** The column whose value it gives as it is. */
  readonly same?: string | undefined;
  value(
    row: Readonly<Record<string, unknown>>,
    before: Readonly<Record<string, unknown>>,
  ): { readonly value: CellValue } | { readonly reason: string };
}

const WHOLE_COLUMN = /^row\.([A-Za-z_]\w*)$/;

/** Reads what a rule gives a column: `row.COLUMN`, Liquid over `row`, or CEL over `row` and `before`. */
export function readRuleValue(column: string, source: MadeOf): { given?: RuleValue; problem?: string } {
  const same = typeof source === "string" ? WHOLE_COLUMN.exec(source.trim())?.[1] : undefined;
  if (typeof source === "string" && same === undefined) {
    const { set, problem } = readSet(column, source);
    return set ? { given: { ...set, readsBefore: [] } } : { problem: problem! };
  }
  const { formula, type, problem } = readFormulaOver(typeof source === "string" ? source : source.cel, ["row", "before"]);
  if (!formula) return { problem: problem! };
  return {
    given: {
      column,
      ...typeOf(type),
      reads: formula.membersOf(["row"]),
      readsBefore: formula.membersOf(["before"]),
      same,
      value: (row, before) => {
        const result = formula.evaluate({ row, before });
        if ("reason" in result) return { reason: `\`${column}\` ${result.reason}` };
        const value = cellOf(result.value);
        return value === undefined ? { reason: `\`${column}\` gives neither text nor a number nor true or false` } : { value };
      },
    },
  };
}

function typeOf(cel: string | undefined): Pick<ReadySet, "type" | "freeText"> {
  const type = cel === "int" || cel === "uint" ? "integer" : cel === "double" ? "number" : "text";
  return { type, freeText: type === "text" };
}

/** A number stays one where the column is of numbers; all else is text. */
function readyOwn({ name, type = "text", freeText }: OwnColumn["own"]): ReadySet {
  const isNumber = type === "integer" || type === "number" || type === "decimal";
  return {
    column: name,
    type,
    freeText,
    reads: [name],
    value: (row) => {
      const value = String(row[name] ?? "");
      return { value: isNumber && value !== "" && String(Number(value)) === value ? Number(value) : value };
    },
  };
}

/** What rules set stands in the ledger; it is not made of the row. */
function readyRuled({ name, type = "text", freeText }: RuledColumn["ruled"]): ReadySet {
  return { column: name, type, freeText, reads: [], value: () => ({ reason: "is set by a rule" }) };
}

/** CEL's whole numbers are BigInt. */
function cellOf(value: unknown): CellValue | undefined {
  if (typeof value === "bigint") return Number.isSafeInteger(Number(value)) ? Number(value) : String(value);
  if (typeof value === "number") return Number.isFinite(value) ? value : undefined;
  if (typeof value === "boolean") return value ? "yes" : "no";
  return typeof value === "string" ? value : value === null ? "" : undefined;
}

/** Stands in the ledger where an answer's fingerprint would. */
export const setFingerprint = (values: Readonly<Record<string, CellValue>>): string => sha256Hex(`set ${canonicalJson(values)}`);
