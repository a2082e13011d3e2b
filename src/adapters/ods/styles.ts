import type { CellType } from "../../core/index.js";
import { attribute, escapeAttribute, type Tag } from "../../files/parts/index.js";
import { declaration, type Prefixes } from "./names.js";

/** How a cell shows its value. */
export type ShownAs = "general" | "date" | "dateTime" | "boolean";

export const shownAs = (type: CellType | undefined): ShownAs =>
  type === "date" || type === "dateTime" ? type : type === "yesNo" ? "boolean" : "general";

/** Cell styles that show values in another way, made when they are asked for; everything else of the style stays. */
export interface StyleEditor {
  /** The name of the style that looks like `base` and shows values so; none where the plain one does. */
  like(base: string | undefined, as: ShownAs): string | undefined;
  /** What comes before the first sheet, with the new styles in it. */
  head(): string;
}

/** @param head everything before the first sheet. @param tags its tags. */
export function styleEditor(head: string, tags: readonly Tag[], p: Prefixes): StyleEditor {
  const isStyle = (tag: Tag): boolean => tag.qualified === `${p.style}:style` && attribute(tag, "family") === "table-cell";
  const byName = new Map(tags.filter(isStyle).map((tag) => [attribute(tag, "name") ?? "", tag]));
  const names = new Set(tags.flatMap((tag) => attribute(tag, "name") ?? []));
  const named = (kind: string): ReadonlySet<string> =>
    new Set(tags.filter((tag) => tag.qualified === `${p.number}:${kind}-style`).map((tag) => attribute(tag, `${p.style}:name`) ?? ""));
  const days = named("date");
  const booleans = named("boolean");
  const made = new Map<string, string>();
  const added: string[] = [];
  let count = 0;
  /** The name of a style: of one that stands there already, or of a new one. */
  const put = (sourceOf: (own: string) => string): string => {
    const standing = [...names].find((name) => /^filled\d+$/.test(name) && head.includes(sourceOf(` ${p.style}:name="${name}"`)));
    if (standing !== undefined) return standing;
    let name: string;
    do name = `filled${++count}`;
    while (names.has(name));
    added.push(sourceOf(` ${p.style}:name="${name}"`));
    return name;
  };
  /** The name of the form of a day, of a day and time, of yes and no. */
  const form = (as: Exclude<ShownAs, "general">): string => {
    const known = made.get(as);
    if (known !== undefined) return known;
    const n = p.number;
    const part = (kind: string): string => `<${n}:${kind} ${n}:style="long"/>`;
    const mark = (text: string): string => `<${n}:text>${text}</${n}:text>`;
    const day = [part("year"), mark("-"), part("month"), mark("-"), part("day")];
    const time = as === "date" ? [] : [mark(" "), part("hours"), mark(":"), part("minutes")];
    const [kind, inner] = as === "boolean" ? ["boolean", `<${n}:boolean/>`] : ["date", [...day, ...time].join("")];
    const name = put(
      (own) => `<${n}:${kind}-style${own}${declaration(p, "number")}${declaration(p, "style")}>${inner}</${n}:${kind}-style>`,
    );
    made.set(as, name);
    return name;
  };
  /** The style as it stands, with another form of values. */
  const copied = (base: string | undefined, dataStyle: string | undefined): string => {
    const data = dataStyle === undefined ? "" : ` ${p.style}:data-style-name="${dataStyle}"`;
    const tag = base === undefined ? undefined : byName.get(base);
    if (!tag) {
      const parent = ` ${p.style}:parent-style-name="${escapeAttribute(base ?? "Default")}"`;
      return put((own) => `<${p.style}:style${own} ${p.style}:family="table-cell"${parent}${data}${declaration(p, "style")}/>`);
    }
    const attributes = withoutAttributes(tag.source, [`${p.style}:name`, `${p.style}:data-style-name`]);
    const end = tag.selfClosing ? "" : head.slice(tag.end, head.indexOf(`</${tag.qualified}>`, tag.end) + tag.qualified.length + 3);
    return put((own) => attributes.replace(/\s*(\/?>)$/, `${own}${data}$1`) + end);
  };
  return {
    like(base, as) {
      const tag = base === undefined ? undefined : byName.get(base);
      const data = tag && attribute(tag, "data-style-name");
      if (as === "general" ? data === undefined : data !== undefined && (as === "boolean" ? booleans : days).has(data)) return base;
      const name = `${as} ${base ?? ""}`;
      const known = made.get(name);
      if (known !== undefined) return known;
      const style = copied(base, as === "general" ? undefined : form(as));
      made.set(name, style);
      return style;
    },
    head() {
      if (added.length === 0) return head;
      const list = tags.find((tag) => tag.qualified === `${p.office}:automatic-styles`);
      const o = `${p.office}:automatic-styles`;
      if (list?.selfClosing) return `${head.slice(0, list.start)}<${o}>${added.join("")}</${o}>${head.slice(list.end)}`;
      if (list) {
        const close = head.indexOf(`</${list.qualified}>`, list.end);
        return head.slice(0, close) + added.join("") + head.slice(close);
      }
      const body = tags.find((tag) => tag.qualified === `${p.office}:body`)!;
      return `${head.slice(0, body.start)}<${o}>${added.join("")}</${o}>${head.slice(body.start)}`;
    },
  };
}

/** A tag's source without some of its attributes, by their whole names. */
export function withoutAttributes(source: string, names: readonly string[]): string {
  return source.replace(/\s+([^\s=<>"'/]+)\s*=\s*("[^"]*"|'[^']*')/g, (whole, name: string) => (names.includes(name) ? "" : whole));
}
