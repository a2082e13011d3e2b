import { attribute, type Tag } from "../../files/parts/index.js";

/** The namespaces of OpenDocument 1.3 (part 3, 1.4) that a spreadsheet is read and written with. */
const NAMESPACES = {
  office: "urn:oasis:names:tc:opendocument:xmlns:office:1.0",
  table: "urn:oasis:names:tc:opendocument:xmlns:table:1.0",
  text: "urn:oasis:names:tc:opendocument:xmlns:text:1.0",
  style: "urn:oasis:names:tc:opendocument:xmlns:style:1.0",
  number: "urn:oasis:names:tc:opendocument:xmlns:datastyle:1.0",
} as const;

/** What stands before the colon in this document, for each namespace; a document is free to choose. */
export type Prefixes = Readonly<Record<keyof typeof NAMESPACES, string>> & {
  /** Namespaces that its root does not declare, so that whoever uses them has to. */
  readonly undeclared: ReadonlySet<string>;
};

export function prefixesOf(root: Tag): Prefixes {
  const found = [...root.source.matchAll(/\sxmlns:([^\s=]+)\s*=/g)].map(([, prefix]) => [attribute(root, `xmlns:${prefix}`), prefix!]);
  const byNamespace = new Map(found as [string, string][]);
  const entries = Object.entries(NAMESPACES).map(([name, namespace]) => [name, byNamespace.get(namespace) ?? name] as const);
  return {
    ...(Object.fromEntries(entries) as Record<keyof typeof NAMESPACES, string>),
    undeclared: new Set(Object.entries(NAMESPACES).flatMap(([name, namespace]) => (byNamespace.has(namespace) ? [] : [name]))),
  };
}

/** The declaration of a namespace, where the root has none. */
export const declaration = (prefixes: Prefixes, name: keyof typeof NAMESPACES): string =>
  prefixes.undeclared.has(name) ? ` xmlns:${prefixes[name]}="${NAMESPACES[name]}"` : "";
