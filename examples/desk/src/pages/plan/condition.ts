/** A condition that is built by choosing: all of its pieces hold. */
export interface Piece {
  readonly column: string;
  readonly op: Op;
  readonly value: string;
}

export const OPS = {
  is: "is",
  isNot: "is not",
  atLeast: "is at least",
  atMost: "is at most",
  contains: "has the letters",
  blank: "is blank",
  notBlank: "is not blank",
  yes: "is yes",
  no: "is no",
} as const;
export type Op = keyof typeof OPS;

export const takesValue = (op: Op): boolean => !["blank", "notBlank", "yes", "no"].includes(op);

const BARE = /^[\p{L}_][\p{L}\d_]*$/u;
const rowOf = (column: string): string => (BARE.test(column) ? `row.${column}` : `row[${JSON.stringify(column)}]`);
const isNumber = (text: string): boolean => /^-?\d+(\.\d+)?$/.test(text);

/** @param isTyped whether a column has numbers, and yes and no, rather than text: those that are filled by such a kind. */
export function celOf(pieces: readonly Piece[], isTyped: (column: string) => boolean): string {
  return pieces
    .map(({ column, op, value }) => {
      const own = rowOf(column);
      const number = isTyped(column) ? own : `double(${own})`;
      const given = isTyped(column) && isNumber(value) ? value : JSON.stringify(value);
      const bound = isTyped(column) ? value : Number(value).toFixed(value.includes(".") ? value.split(".")[1]!.length : 1);
      switch (op) {
        case "is":
          return `${own} == ${given}`;
        case "isNot":
          return `${own} != ${given}`;
        case "atLeast":
          return `${number} >= ${bound}`;
        case "atMost":
          return `${number} <= ${bound}`;
        case "contains":
          return `${own}.contains(${JSON.stringify(value)})`;
        case "blank":
          return `${own} == ""`;
        case "notBlank":
          return `${own} != ""`;
        case "yes":
          return `${own} == true`;
        case "no":
          return `${own} == false`;
      }
    })
    .join(" && ");
}

const ROW = String.raw`row(?:\.([\p{L}_][\p{L}\d_]*)|\[("(?:[^"\\]|\\.)*")\])`;
const SIMPLE = new RegExp(String.raw`^(?:double\()?${ROW}\)?\s*(==|!=|>=|<=)\s*("(?:[^"\\]|\\.)*"|-?\d+(?:\.\d+)?|true|false)$`, "u");
const HAS = new RegExp(String.raw`^${ROW}\.contains\(("(?:[^"\\]|\\.)*")\)$`, "u");

/** The pieces of a condition that could have been chosen; `undefined` for one that says more than that. */
export function piecesOf(cel: string): Piece[] | undefined {
  if (cel.trim() === "") return [];
  const pieces = cel.split(/\s*&&\s*/).map(pieceOf);
  return pieces.every((piece) => piece !== undefined) ? pieces : undefined;
}

function pieceOf(text: string): Piece | undefined {
  const has = HAS.exec(text.trim());
  if (has) return { column: has[1] ?? (JSON.parse(has[2]!) as string), op: "contains", value: JSON.parse(has[3]!) as string };
  const found = SIMPLE.exec(text.trim());
  if (!found) return undefined;
  const [, bare, quoted, sign, given] = found as unknown as [string, string | undefined, string | undefined, string, string];
  const column = bare ?? (JSON.parse(quoted!) as string);
  if (given === "true" || given === "false") return { column, op: (given === "true") === (sign === "==") ? "yes" : "no", value: "" };
  const value = given.startsWith('"') ? (JSON.parse(given) as string) : given;
  if (value === "" && (sign === "==" || sign === "!=")) return { column, op: sign === "==" ? "blank" : "notBlank", value: "" };
  const op = ({ "==": "is", "!=": "isNot", ">=": "atLeast", "<=": "atMost" } as const)[sign as "=="];
  return { column, op, value };
}
