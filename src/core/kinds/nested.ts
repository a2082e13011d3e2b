import type { ChoiceSpec } from "./choice.js";
import type { AnySpec } from "./kind.js";

interface Nesting extends AnySpec {
  readonly of?: AnySpec | undefined;
  readonly parts?: Readonly<Record<string, AnySpec>> | undefined;
}

/** The specs inside a spec, with the path to each: a list's item, a record's parts. */
export function specsInside(spec: AnySpec): { readonly path: readonly string[]; readonly spec: AnySpec }[] {
  const { of, parts } = spec as Nesting;
  return [
    ...(of ? [{ path: ["of"], spec: of }] : []),
    ...Object.entries(parts ?? {}).map(([name, part]) => ({ path: ["parts", name], spec: part })),
  ];
}

/** The same spec with every choice in it changed, however deep it stands. */
export function mapChoices(spec: AnySpec, change: (choice: AnySpec) => AnySpec): AnySpec {
  const { of, parts } = spec as Nesting;
  if (of) return { ...spec, of: mapChoices(of, change) } as AnySpec;
  if (parts) return { ...spec, parts: Object.fromEntries(Object.entries(parts).map(([name, part]) => [name, mapChoices(part, change)])) } as AnySpec;
  return hasOptions(spec) ? change(spec) : spec;
}

function hasOptions(spec: AnySpec): boolean {
  return spec.kind === "choice" || spec.kind === "choices";
}

/** The reference that a choice reads its options from, if it does. */
export function referenceOf(spec: AnySpec): string | undefined {
  const { options } = spec as Partial<ChoiceSpec>;
  if (!hasOptions(spec) || !options || Array.isArray(options)) return undefined;
  const keys = Object.keys(options);
  return keys.length === 1 && keys[0] === "from" ? (options as { from: string }).from : undefined;
}

/** Every reference that a spec reads options from, with the path to it. */
export function referencesIn(spec: AnySpec, path: readonly string[] = []): { readonly name: string; readonly path: readonly string[] }[] {
  const own = referenceOf(spec);
  return [
    ...(own === undefined ? [] : [{ name: own, path: [...path, "options", "from"] }]),
    ...specsInside(spec).flatMap((inner) => referencesIn(inner.spec, [...path, ...inner.path])),
  ];
}
