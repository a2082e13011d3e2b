import canonicalizeModule from "canonicalize";

/** What JSON can hold. */
export type Json = null | boolean | number | string | Json[] | { [key: string]: Json };

// The package's CommonJS typing hides that the imported value is the function itself.
const canonicalize = canonicalizeModule as unknown as (value: unknown) => string | undefined;

/**
 * Canonical JSON (RFC 8785): the same text for the same value, whatever the order of its keys.
 * `undefined` members are left out; a bare `undefined` reads as `null`.
 */
export function canonicalJson(value: unknown): string {
  return canonicalize(value) ?? "null";
}
