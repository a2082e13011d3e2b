import { useEffect, useRef, useSyncExternalStore } from "react";

/** What single keys do on a page: key -> act. Nothing in a field, and nothing while they are turned off. */
export type Keys = Readonly<Record<string, (event: KeyboardEvent) => void>>;

const STORED = "yoroshi.keys";
const listeners = new Set<() => void>();

/** Whether single keys act; a person who uses speech or mistypes turns them off (WCAG 2.1.4). */
export const keysAreOn = (): boolean => localStorage.getItem(STORED) !== "off";

export function turnKeys(on: boolean): void {
  localStorage.setItem(STORED, on ? "on" : "off");
  for (const tell of listeners) tell();
}

export const useKeysAreOn = (): boolean =>
  useSyncExternalStore((tell) => {
    listeners.add(tell);
    return () => void listeners.delete(tell);
  }, keysAreOn);

const isField = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement && (target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName)) && !isTick(target);
const isTick = (target: HTMLElement): boolean => target instanceof HTMLInputElement && /^(checkbox|radio|button)$/.test(target.type);

type Hearer = { readonly keys: Keys };
const hearers: Hearer[] = [];

function hear(event: KeyboardEvent): void {
  if (event.defaultPrevented || event.ctrlKey || event.metaKey || event.altKey || isField(event.target) || !keysAreOn()) return;
  const key = event.key.length === 1 ? event.key.toLowerCase() : event.key;
  // What came to the page last knows it best: digits choose an option where there is one, and lead along the way elsewhere.
  const act = hearers.findLast(({ keys }) => keys[key])?.keys[key];
  if (!act) return;
  event.preventDefault();
  act(event);
}

/** Single keys of a page, as long as it is shown. */
export function useKeys(keys: Keys, enabled = true): void {
  const now = useRef(keys);
  now.current = keys;
  useEffect(() => {
    if (!enabled) return undefined;
    const own: Hearer = {
      get keys() {
        return now.current;
      },
    };
    if (hearers.length === 0) document.addEventListener("keydown", hear);
    hearers.push(own);
    return () => {
      hearers.splice(hearers.indexOf(own), 1);
      if (hearers.length === 0) document.removeEventListener("keydown", hear);
    };
  }, [enabled]);
}
