import * as z from "zod/mini";
import { fits, misfit, type AnySpec, type Kind, type Reading } from "./kind.js";

/** Stands for what a row names and does not hold: a picture, a document, a page. Its content travels apart from it. */
export interface SourceHandle {
  /** SHA-256 of the content, in hexadecimal: what is the same has the same handle, wherever it lies. */
  readonly hash: string;
  /** The media type, by the bytes: `image/jpeg`. */
  readonly type: string;
  readonly bytes: number;
}

/** A handle, or the name that stands for one: a path, an address. */
export type NamedOrFound = SourceHandle | string;

/** One source, or several of them where one cell names several. */
export type SourceValue = NamedOrFound | NamedOrFound[];

/** The value of an input that a cell names, as its spec has it. */
export type SourceKindValue<Spec> = Spec extends { readonly many: true } ? SourceValue : NamedOrFound;

/** The text that stands for a source in a cell. */
const sourceCell = (value: SourceValue): string =>
  typeof value === "string"
    ? value
    : Array.isArray(value) && value.some((one) => typeof one === "string")
      ? value.map((one) => (typeof one === "string" ? one : JSON.stringify(one))).join("\n")
      : JSON.stringify(value);

const handle = z.strictObject(
  { hash: z.string().check(z.regex(/^[0-9a-f]{64}$/)), type: z.string(), bytes: z.int() },
  "must be a source's handle",
);

/** What kinds that stand for sources have in common. */
export interface SourceSpec extends AnySpec {
  /** Whether one cell may name several: on lines of their own, or with semicolons between. */
  readonly many?: boolean | undefined;
}

export const many = z.optional(z.boolean());

/** The schema of handles. Their members are known here; whether there may be several, only the spec tells. */
export const handleSchema = ({ many: several }: SourceSpec): z.ZodMiniType<SourceValue> =>
  // Whether there are several, only the spec tells.
  (several ? z.array(handle).check(z.minLength(1)) : handle) as unknown as z.ZodMiniType<SourceValue>;

/** Reads handles from the JSON that stands for them; what names a source is turned into its handle before. */
export function handleFromCell(spec: SourceSpec, cell: string): Reading<SourceValue> {
  try {
    const read = handleSchema(spec).safeParse(JSON.parse(cell));
    if (read.success) return fits(read.data);
  } catch {
    // a name, then
  }
  return misfit("names something that is not at hand here");
}

/** Whether a cell holds handles already. */
export const isHandles = (cell: string): boolean => /^\s*\[?\s*\{\s*"(?:hash|type|bytes)"/.test(cell);

/** The names in a cell: one, or several where the spec says so. */
export function namesIn({ many: several }: SourceSpec, cell: string): string[] {
  if (!several) return [cell.trim()];
  // Bytes in an address may have semicolons of their own.
  const between = /^data:/i.test(cell.trim()) ? /\n+/ : /\n+|;\s*/;
  return cell
    .split(between)
    .map((name) => name.trim())
    .filter((name) => name !== "");
}

/** The TypeScript type of handles, as source. */
const handleType = ({ many: several }: SourceSpec): string => {
  const one = "string | { hash: string; type: string; bytes: number }";
  return several ? `(${one})[] | string` : one;
};

/** What the kinds `image`, `document` and `page` do alike. */
export const namedInCell = {
  inputOnly: true,
  control: "line",
  value: (spec) => handleSchema(spec) as never,
  fromCell: (spec, cell) => handleFromCell(spec, cell) as never,
  toCell: (_spec, value) => sourceCell(value),
  typescript: handleType,
} satisfies Partial<Kind<SourceSpec, never>>;
