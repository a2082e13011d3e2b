/** A record of the same names, each value changed. */
export function mapValues<T, U>(record: Readonly<Record<string, T>>, change: (value: T, name: string) => U): Record<string, U> {
  return Object.fromEntries(Object.entries(record).map(([name, value]) => [name, change(value, name)]));
}
