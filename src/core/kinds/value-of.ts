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
    ? KindValues<Spec>[Kind] | (Spec extends { readonly required: false } ? null : never)
    : never
  : never;
