import { useEffect, useState } from "react";

const QUIET_MS = 250;

/** Words that rows have; looked for a moment after the last letter. */
export function FindField({ value, onFind }: { readonly value: string; readonly onFind: (words: string | undefined) => void }) {
  const [text, setText] = useState(value);
  useEffect(() => setText(value), [value]);
  useEffect(() => {
    if (text === value) return undefined;
    const timer = setTimeout(() => onFind(text.trim() === "" ? undefined : text), QUIET_MS);
    return () => clearTimeout(timer);
  }, [text, value, onFind]);
  return (
    <input
      id="find"
      type="search"
      aria-label="Find rows that have these words"
      placeholder="find rows ( / )"
      value={text}
      onChange={(event) => setText(event.target.value)}
      onKeyDown={(event) => {
        if (event.key !== "Escape") return;
        setText("");
        document.getElementById("table-grid")?.focus();
      }}
    />
  );
}
