/**
 * Maps a kind's name to the TypeScript type of its values, given its spec. Each kind's file adds its own line
 * by declaration merging, so that a new kind stays one file.
 */
// eslint-disable-next-line @typescript-eslint/no-empty-object-type
export interface KindValues<Spec> {
  /** Never a kind; keeps the type parameter in use while the interface is empty. */
  readonly "": Spec;
}

/** The type of the values that a spec describes: `ValueOf<{ kind: "number" }>` is `number`. */
export type ValueOf<Spec> = Spec extends { readonly kind: infer Kind }
  ? Kind extends Exclude<keyof KindValues<Spec>, "">
    ? KindValues<Spec>[Kind] | (Spec extends { readonly required: false } | { readonly evidence: object } ? null : never)
    : never
  : never;

/** Maps a kind's name to the spec that a person writes for it; each kind's file adds its own line. */
// eslint-disable-next-line @typescript-eslint/no-empty-object-type
export interface KindSpecs {}

/** The keys under which a spec holds others. */
interface Nested<Spec> {
  readonly of: Spec extends { readonly of: infer Of } ? CheckedSpec<Of> : never;
  readonly parts: Spec extends { readonly parts: infer Parts } ? { readonly [Name in keyof Parts]: CheckedSpec<Parts[Name]> } : never;
  readonly columns: Spec extends { readonly columns: infer Columns }
    ? { readonly [Name in keyof Columns]: Columns[Name] extends string ? keyof KindSpecs : CheckedSpec<Columns[Name]> }
    : never;
}

/**
 * What a spec written in code must be, whatever was written: so that a kind that is none, a key that its kind does not have, or a
 * value that does not fit is an error of types at its place.
 *
 * @typeParam Extra the keys of the place where it stands.
 */
export type CheckedSpec<Spec, Extra = unknown> = Spec extends { readonly kind: infer Kind }
  ? string extends Kind
    ? Spec // Known at run time only.
    : Kind extends keyof KindSpecs
      ? {
          readonly [Key in keyof Spec]: Key extends keyof Nested<Spec>
            ? Nested<Spec>[Key]
            : Key extends keyof KindSpecs[Kind]
              ? KindSpecs[Kind][Key]
              : Key extends keyof Extra
                ? Extra[Key]
                : never;
        }
      : { readonly kind: keyof KindSpecs }
  : { readonly kind: keyof KindSpecs };
