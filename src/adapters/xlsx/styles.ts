import { attribute, edited, prefixOf, tagsOf, withAttribute } from "../../files/parts/index.js";
import { cellFormats } from "./workbook.js";

/** How a number is shown. */
export type NumberFormat = "general" | "date" | "dateTime";

const CODES: Readonly<Record<Exclude<NumberFormat, "general">, string>> = { date: "yyyy-mm-dd", dateTime: "yyyy-mm-dd hh:mm" };
const FIRST_OWN_FORMAT = 164;

/** Cell styles with another number format, made when they are asked for; everything else of the style stays. */
export interface StyleEditor {
  /** The number of the style that looks like `base` and shows numbers as `format`. */
  like(base: number, format: NumberFormat): number;
  /** The part with the new styles; `undefined` when there are none. */
  text(): string | undefined;
}

export function styleEditor(text: string): StyleEditor {
  const tags = tagsOf(text);
  const root = tags.find((tag) => tag.name === "styleSheet")!;
  const opening = tags.find((tag) => tag.name === "cellXfs")!;
  const formats = cellFormats(text, tags);
  const sources = formats.map((tag) =>
    tag.selfClosing
      ? text.slice(tag.start, tag.end)
      : text.slice(tag.start, text.indexOf(`</${tag.qualified}>`, tag.end) + tag.qualified.length + 3),
  );
  const prefix = prefixOf(opening.qualified);
  const ownFormats = tags.filter((tag) => tag.name === "numFmt");
  const codes = new Map(ownFormats.map((tag) => [attribute(tag, "formatCode") ?? "", Number(attribute(tag, "numFmtId"))]));
  const newCodes: { readonly id: number; readonly code: string }[] = [];
  const added: string[] = [];
  const made = new Map<string, number>();

  const formatId = (format: NumberFormat): number => {
    if (format === "general") return 0;
    const code = CODES[format];
    let id = codes.get(code);
    if (id === undefined) {
      id = Math.max(FIRST_OWN_FORMAT - 1, ...codes.values()) + 1;
      codes.set(code, id);
      newCodes.push({ id, code });
    }
    return id;
  };

  return {
    like(base, format) {
      const source = sources[base] ?? sources[0] ?? `<${prefix}xf/>`;
      const before = formats[base] ?? formats[0];
      const id = formatId(format);
      if (before && Number(attribute(before, "numFmtId") ?? 0) === id) return base;
      const name = `${base} ${id}`;
      let style = made.get(name);
      if (style === undefined) {
        const end = /^<[^>]*>/.exec(source)![0].length;
        const tag = withAttribute(withAttribute(source.slice(0, end), "numFmtId", String(id)), "applyNumberFormat", "1");
        added.push(tag + source.slice(end));
        style = sources.length + added.length - 1;
        made.set(name, style);
      }
      return style;
    },
    text() {
      if (added.length === 0) return undefined;
      const end = text.indexOf(`</${opening.qualified}>`, opening.end);
      const edits = [
        {
          start: opening.start,
          end: opening.end,
          text: withAttribute(text.slice(opening.start, opening.end), "count", String(sources.length + added.length)),
        },
        { start: end, end, text: added.join("") },
      ];
      if (newCodes.length > 0) {
        const list = tags.find((tag) => tag.name === "numFmts");
        const items = newCodes.map(({ id, code }) => `<${prefix}numFmt numFmtId="${id}" formatCode="${code}"/>`).join("");
        if (!list)
          edits.push({ start: root.end, end: root.end, text: `<${prefix}numFmts count="${newCodes.length}">${items}</${prefix}numFmts>` });
        else if (list.selfClosing)
          edits.push({
            start: list.start,
            end: list.end,
            text: `<${list.qualified} count="${newCodes.length}">${items}</${list.qualified}>`,
          });
        else {
          const close = text.indexOf(`</${list.qualified}>`, list.end);
          edits.push(
            {
              start: list.start,
              end: list.end,
              text: withAttribute(text.slice(list.start, list.end), "count", String(ownFormats.length + newCodes.length)),
            },
            { start: close, end: close, text: items },
          );
        }
      }
      return edited(text, edits);
    },
  };
}
