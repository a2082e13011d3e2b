import { useEffect, useMemo, useState } from "react";

const QUIET_MS = 80;

/** What stands in the inputs that the template has, some moments after the last letter. */
export function useDeferredInputs(
  inputs: Readonly<Record<string, string>> | undefined,
  names: readonly string[],
): Readonly<Record<string, string>> | undefined {
  const told =
    inputs && JSON.stringify(Object.fromEntries(names.flatMap((name) => (inputs[name] === undefined ? [] : [[name, inputs[name]]]))));
  const [now, setNow] = useState(told);
  useEffect(() => {
    const timer = setTimeout(() => setNow(told), now === undefined ? 0 : QUIET_MS);
    return () => clearTimeout(timer);
  }, [told, now]);
  return useMemo(() => (now === undefined ? undefined : (JSON.parse(now) as Record<string, string>)), [now]);
}
