import { unwatchFile, watchFile } from "node:fs";

/** How often it is looked. */
const LOOK_MS = 200;
/** A file counts as written when nothing about it has changed for so long. */
const WRITTEN_MS = 300;

/**
 * Tells when files have been written to their end, replaced, or have gone. They need not be there yet. It is looked by their paths, which
 * also works where a system tells nothing of a folder, as on some network drives.
 *
 * @param files absolute paths.
 * @returns the way to stop.
 */
export function watchFiles(files: readonly string[], onChange: (file: string) => void): () => Promise<void> {
  const waiting = new Map<string, NodeJS.Timeout>();
  const watched = [...new Set(files)].map((file) => {
    const listener = (): void => {
      clearTimeout(waiting.get(file));
      waiting.set(
        file,
        setTimeout(() => onChange(file), WRITTEN_MS),
      );
    };
    watchFile(file, { interval: LOOK_MS }, listener);
    return { file, listener };
  });
  return async () => {
    for (const { file, listener } of watched) unwatchFile(file, listener);
    for (const timer of waiting.values()) clearTimeout(timer);
  };
}
