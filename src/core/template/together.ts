import { canonicalJson, quickHash, textMessage, type Json, type Message } from "../ground/index.js";
import { fence, fenceMark } from "./fence.js";
import type { Prepared } from "./prepare.js";

/** The member of each item of a reply that says which row it is about. */
export const ROW_MARK = "row";

/** A row that shares a request with others. */
export interface MarkedRow {
  readonly mark: string;
  readonly inputs: Readonly<Record<string, Json | undefined>>;
}

/** Letters that spell no words, one for each hexadecimal digit. */
const LETTERS = "bcdfghjklmnpqrst";
const MARK_LETTERS = 4;

/**
 * Marks for rows that share a request: short, without order, made of what the row holds. So a model that leaves a row out
 * cannot shift the rest by one, no row knows another's mark, and the same rows make the same prompt.
 */
export function rowMarks(rows: readonly Readonly<Record<string, unknown>>[]): string[] {
  const taken = new Set<string>();
  return rows.map((inputs) => {
    for (let salt = 0; ; salt++) {
      const hash = quickHash(`${salt}${canonicalJson(inputs as Json)}`).padStart(8, "0");
      const mark = hash.slice(-MARK_LETTERS).replace(/./g, (digit) => LETTERS[Number.parseInt(digit, 16)]!);
      if (taken.has(mark)) continue;
      taken.add(mark);
      return mark;
    }
  });
}

/**
 * The prompt for several rows: what all share stands once, then each row under its mark. The template's examples are an
 * earlier turn of the same form.
 */
export function renderTogether({ pieces, examples, inputs: named }: Prepared, rows: readonly MarkedRow[]): Message[] {
  const { shared } = pieces;
  const blockOf = ({ mark, inputs }: MarkedRow): string =>
    `Row ${mark}\n${shared === undefined ? pieces.turn(inputs) : fencedInputs(inputs)}`;
  const fencedInputs = (inputs: MarkedRow["inputs"]): string => {
    const own = fenceMark(inputs);
    return named.map(({ name }) => fence(name, inputs[name], own)).join("\n");
  };
  const turn = (some: readonly MarkedRow[]): string =>
    [...(shared === undefined ? [] : [shared]), "The rows, each under its mark:", ...some.map(blockOf)].join("\n\n");
  const marks = rowMarks(examples.map((example) => ({ example: example.inputs })));
  const shown: Message[] =
    examples.length === 0
      ? []
      : [
          textMessage(
            "user",
            turn(examples.map((example, index) => ({ mark: marks[index]!, inputs: example.inputs as MarkedRow["inputs"] }))),
          ),
          textMessage(
            "assistant",
            JSON.stringify({ answers: pieces.replies.map((reply, index) => ({ [ROW_MARK]: marks[index], ...reply })) }),
          ),
        ];
  return [pieces.system({}), ...shown, textMessage("user", `${turn(rows)}\n\n${answerTogether(pieces.answer)}`)];
}

function answerTogether(answer: string): string {
  const members = answer.slice(answer.indexOf("\n") + 1);
  return [
    'Answer with one JSON object and nothing else, {"answers": [ … ]}, with exactly one item for each row, in the rows\' order. Judge each row by itself, as if it stood alone. The members of each item, in this order:',
    `- "${ROW_MARK}": The row's mark, as written above.`,
    members,
  ].join("\n");
}

/** The JSON Schema of the reply about several rows. */
export function schemaTogether({ schema }: Pick<Prepared, "schema">): Record<string, Json> {
  const item = {
    ...schema,
    properties: { [ROW_MARK]: { type: "string" }, ...(schema["properties"] as Record<string, Json>) },
    required: [ROW_MARK, ...(schema["required"] as string[])],
  };
  return { type: "object", properties: { answers: { type: "array", items: item } }, required: ["answers"], additionalProperties: false };
}
