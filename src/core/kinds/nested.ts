import { optionsFrom, type ChoiceSpec } from "./choice.js";
import type { AnySpec } from "./kind.js";
import { columnSpec } from "./rows.js";

interface Nesting extends AnySpec {
  readonly of?: AnySpec | undefined;
  readonly parts?: Readonly<Record<string, AnySpec>> | undefined;
  readonly columns?: Readonly<Record<string, string | AnySpec>> | undefined;
}

/** The specs inside a spec, with the path to each: a list's item, a record's parts, the columns of rows. */
export function specsInside(spec: AnySpec): { readonly path: readonly string[]; readonly spec: AnySpec }[] {
  const { of, parts, columns } = spec as Nesting;
  return [
    ...Object.entries(columns ?? {}).map(([name, column]) => ({ path: ["columns", name], spec: columnSpec(column) })),
    ...(of ? [{ path: ["of"], spec: of }] : []),
    ...Object.entries(parts ?? {}).map(([name, part]) => ({ path: ["parts", name], spec: part })),
  ];
}

/** The same spec with every spec in it that holds no others changed, however deep it stands. */
export function mapLeaves(spec: AnySpec, change: (leaf: AnySpec) => AnySpec): AnySpec {
  const { of, parts, columns } = spec as Nesting;
  const mapAll = (specs: Readonly<Record<string, string | AnySpec>>): Record<string, AnySpec> =>
    Object.fromEntries(Object.entries(specs).map(([name, inner]) => [name, mapLeaves(columnSpec(inner), change)]));
  if (of) return { ...spec, of: mapLeaves(of, change) } as AnySpec;
  if (parts) return { ...spec, parts: mapAll(parts) } as AnySpec;
  if (columns) return { ...spec, columns: mapAll(columns) } as AnySpec;
  return change(spec);
}

/** A spec and all specs inside it, with the path to each. */
export function specsWithin(spec: AnySpec, path: readonly string[] = []): { readonly path: readonly string[]; readonly spec: AnySpec }[] {
  return [{ path, spec }, ...specsInside(spec).flatMap((inner) => specsWithin(inner.spec, [...path, ...inner.path]))];
}

/** The reference that a spec reads its options from, if it does. */
export const referenceOf = (spec: AnySpec): string | undefined => optionsFrom(spec as ChoiceSpec);

/** Every reference that a spec reads options or rates from, with the path to it. */
export function referencesIn(spec: AnySpec, path: readonly string[] = []): { readonly name: string; readonly path: readonly string[] }[] {
  return specsWithin(spec, path).flatMap((found) => {
    const options = referenceOf(found.spec);
    const { rates } = found.spec as { rates?: string };
    return [
      ...(options === undefined ? [] : [{ name: options, path: [...found.path, "options", "from"] }]),
      ...(rates === undefined ? [] : [{ name: rates, path: [...found.path, "rates"] }]),
    ];
  });
}
