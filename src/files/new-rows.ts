import type { FileChanges, NewRow } from "./file-format.js";

/** The rows that come, one after the other, with a look at the next one. */
export interface NewRows {
  next(): Promise<NewRow | undefined>;
  take(): Promise<NewRow | undefined>;
}

/** They are first asked for at the first `next`: the changes must have seen all standing rows by then. */
export function newRows(changes: FileChanges): NewRows {
  async function* flat(): AsyncGenerator<NewRow, undefined> {
    for await (const some of changes.added()) yield* some;
    return undefined;
  }
  let rows: AsyncGenerator<NewRow, undefined> | undefined;
  let ahead: Promise<NewRow | undefined> | undefined;
  const next = (): Promise<NewRow | undefined> => (ahead ??= (rows ??= flat()).next().then(({ value }) => value));
  return {
    next,
    async take() {
      const row = await next();
      ahead = undefined;
      return row;
    },
  };
}
