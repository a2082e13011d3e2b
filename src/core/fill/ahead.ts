/**
 * Makes the next item while the current one is being used, so that reading and deciding overlap with waiting for
 * replies. At most one item is held ahead.
 */
export async function* ahead<T>(source: AsyncIterable<T>): AsyncGenerator<T> {
  const items = source[Symbol.asyncIterator]();
  const pull = (): Promise<IteratorResult<T>> => {
    const next = items.next();
    next.catch(() => undefined); // thrown below, when its turn comes
    return next;
  };
  let next = pull();
  try {
    for (let item = await next; !item.done; item = await next) {
      next = pull();
      yield item.value;
    }
  } finally {
    await next.catch(() => undefined);
    await items.return?.();
  }
}
