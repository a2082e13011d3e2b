import { useEffect } from "react";
import type { Source } from "./use-source.js";

/** Ctrl-S saves a source, and a page with unsaved work is not left unasked. */
export function useSaveKey({ save, isDirty }: Source): void {
  useEffect(() => {
    const hear = (event: KeyboardEvent): void => {
      if (!(event.ctrlKey || event.metaKey) || event.key !== "s") return;
      event.preventDefault();
      void save();
    };
    document.addEventListener("keydown", hear);
    return () => document.removeEventListener("keydown", hear);
  }, [save]);
  useEffect(() => {
    if (!isDirty) return undefined;
    const hold = (event: BeforeUnloadEvent): void => event.preventDefault();
    window.addEventListener("beforeunload", hold);
    return () => window.removeEventListener("beforeunload", hold);
  }, [isDirty]);
}
