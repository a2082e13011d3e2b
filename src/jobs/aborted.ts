/** Resolves once one of the signals is aborted. */
export async function aborted(...signals: readonly (AbortSignal | undefined)[]): Promise<void> {
  await new Promise<void>((resolve) => {
    for (const signal of signals) {
      if (signal?.aborted) resolve();
      else signal?.addEventListener("abort", () => resolve(), { once: true });
    }
  });
}
