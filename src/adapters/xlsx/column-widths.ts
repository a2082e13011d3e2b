import { attribute, prefixOf, type Tag, withAttribute } from "../../files/parts/index.js";
import type { Place } from "./survey-sheet.js";

const WIDE = 48;
const NARROW = 18;

interface Range {
  readonly min: number;
  readonly max: number;
  readonly source: string;
}

/**
 * The sheet's widths of columns with those of new columns: a range that reaches over a new column is taken apart around it,
 * so that the new one is wide enough and not hidden.
 */
export function columnTags(head: string, tags: readonly Tag[], added: readonly Place[]): { start: number; end: number; text: string }[] {
  if (added.length === 0) return [];
  const data = tags.find((tag) => tag.name === "sheetData")!;
  const prefix = prefixOf(data.qualified);
  const list = tags.find((tag) => tag.name === "cols");
  const isNew = new Set(added.map(({ column }) => column));
  const kept = tags
    .filter((tag) => tag.name === "col")
    .flatMap((tag) =>
      without({ min: Number(attribute(tag, "min")), max: Number(attribute(tag, "max")), source: head.slice(tag.start, tag.end) }, isNew),
    );
  const fresh = added.map(({ column, target }): Range => ({
    min: column,
    max: column,
    source: `<${prefix}col min="${column}" max="${column}" width="${widthOf(target)}" customWidth="1"/>`,
  }));
  const all = [...kept, ...fresh]
    .sort((a, b) => a.min - b.min)
    .map(({ source }) => source)
    .join("");
  if (!list) return [{ start: data.start, end: data.start, text: `<${prefix}cols>${all}</${prefix}cols>` }];
  if (list.selfClosing) return [{ start: list.start, end: list.end, text: `<${list.qualified}>${all}</${list.qualified}>` }];
  return [{ start: list.end, end: head.indexOf(`</${list.qualified}>`, list.end), text: all }];
}

/** The parts of a range that are left when columns are taken out of it. */
function without({ min, max, source }: Range, columns: ReadonlySet<number>): Range[] {
  const inside = [...columns].filter((column) => column >= min && column <= max).sort((a, b) => a - b);
  if (inside.length === 0) return [{ min, max, source }];
  const parts: Range[] = [];
  let from = min;
  for (const column of [...inside, max + 1]) {
    if (column > from)
      parts.push({
        min: from,
        max: column - 1,
        source: withAttribute(withAttribute(source, "min", String(from)), "max", String(column - 1)),
      });
    from = column + 1;
  }
  return parts;
}

/** Wide enough for what stands in it, and for its name. */
function widthOf({ name, freeText }: Place["target"]): number {
  return Math.max(freeText ? WIDE : NARROW, Math.min(WIDE, name.length + 4));
}
