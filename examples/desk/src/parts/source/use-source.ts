import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { ServerError, type CallReport } from "yoroshi/client";
import { didAct } from "../../app/acts.js";
import { queries, server } from "../../app/server.js";

export type Shown = CallReport<"readTemplateSource">;
export type Json = string | number | boolean | null | readonly Json[] | { readonly [key: string]: Json };
export type Form = Readonly<Record<string, Json>>;

/** What a file says while somebody works on it: text and form are two sides of the same. */
export interface Source {
  readonly text: string;
  readonly form: Form | null;
  readonly complaints: Shown["complaints"];
  readonly warnings: Shown["warnings"];
  readonly places: Shown["places"];
  readonly file: string;
  readonly isDirty: boolean;
  readonly isChecking: boolean;
  readonly problem: unknown;
  /** Somebody else has changed the file since it was read: what it says now. */
  readonly theirs: Shown | undefined;
  setText(text: string): void;
  /** Puts a value at a path of the form; `undefined` takes it away. */
  setAt(path: readonly (string | number)[], value: Json | undefined): void;
  setForm(form: Form): void;
  /** Gives what the file says then, the last letters included; nothing where it could not be saved. */
  save(withMistakes?: boolean): Promise<Shown | undefined>;
  takeTheirs(): void;
  keepOurs(): void;
}

type What = "template" | "plan";

const SOON_MS = 20;

const CALLS = {
  template: {
    read: (name: string) => server.readTemplateSource({ name }),
    check: (name: string, text: string, form?: Form) =>
      server.checkTemplateSource({ name, text, ...(form ? { form: form as never } : {}) }),
    save: (name: string, text: string, was: string, withMistakes: boolean) =>
      server.saveTemplateSource({ name, text, was, ...(withMistakes ? { withMistakes } : {}) }),
  },
  plan: {
    read: (name: string) => server.readPlanSource({ name }),
    check: (name: string, text: string, form?: Form) => server.checkPlanSource({ name, text, ...(form ? { form: form as never } : {}) }),
    save: (name: string, text: string, was: string, withMistakes: boolean) =>
      server.savePlanSource({ name, text, was, ...(withMistakes ? { withMistakes } : {}) }),
  },
};

/** A form with a value put at a path of it. */
export function putAt(form: Json, [key, ...rest]: readonly (string | number)[], value: Json | undefined): Json {
  if (key === undefined) return value ?? null;
  if (Array.isArray(form)) {
    const list = [...(form as readonly Json[])];
    if (rest.length === 0 && value === undefined) list.splice(Number(key), 1);
    else list[Number(key)] = putAt(list[Number(key)] ?? {}, rest, value);
    return list;
  }
  const map: Record<string, Json> = { ...(typeof form === "object" && form !== null ? (form as Form) : {}) };
  if (rest.length === 0 && value === undefined) delete map[key];
  else map[key] = putAt(map[key] ?? {}, rest, value);
  return map;
}

/** Works on a template's or a plan's file. */
export function useSource(what: What, name: string): Source {
  const { data: saved, error } = useQuery({ queryKey: ["source", what, name], queryFn: () => CALLS[what].read(name) });
  const [base, setBase] = useState<Shown | undefined>();
  const [now, showNow] = useState<Shown | undefined>();
  /** The newest, also before it is shown: what is saved a moment after the last letter has that letter. */
  const newest = useRef<Shown | undefined>(undefined);
  const setNow = useCallback((next: Shown | undefined): void => {
    newest.current = next;
    showNow(next);
  }, []);
  const [isChecking, setChecking] = useState(false);
  const [problem, setProblem] = useState<unknown>();
  const waiting = useRef<{ readonly text: string; readonly form: Form | undefined } | undefined>(undefined);
  const isUnderWay = useRef(false);
  const isDirty = base !== undefined && now !== undefined && now.text !== base.text;
  useEffect(() => {
    if (!saved) return;
    // What somebody else wrote is taken as it is, unless there is work here that it would take away.
    if (!base || (!isDirty && saved.mark !== base.mark)) {
      setBase(saved);
      setNow(saved);
    }
  }, [saved, base, isDirty, setNow]);

  // One check at a time: what comes meanwhile waits, and of it only the newest is checked.
  const check = useCallback(
    (text: string, form: Form | undefined) => {
      waiting.current = { text, form };
      if (isUnderWay.current) return;
      const next = async (): Promise<void> => {
        isUnderWay.current = true;
        setChecking(true);
        while (waiting.current) {
          const asked = waiting.current;
          waiting.current = undefined;
          try {
            const shown = await CALLS[what].check(name, asked.text, asked.form);
            // What was written since is newer than what comes back.
            if (!waiting.current) setNow(shown);
            setProblem(undefined);
          } catch (fault) {
            setProblem(fault);
          }
        }
        isUnderWay.current = false;
        setChecking(false);
      };
      void next();
    },
    [what, name, setNow],
  );
  const text = now?.text ?? "";
  const form = (now?.form ?? null) as Form | null;
  const setForm = (next: Form): void => {
    if (newest.current) setNow({ ...newest.current, form: next as Shown["form"] });
    // Of the text as it stood: the server writes into it what the form says now.
    check(text, next);
  };
  const theirs = saved && base && saved.mark !== base.mark && isDirty ? saved : undefined;
  return {
    text,
    form,
    complaints: now?.complaints ?? [],
    warnings: now?.warnings ?? [],
    places: now?.places ?? {},
    file: now?.file ?? "",
    isDirty,
    isChecking,
    problem: problem ?? error,
    theirs,
    setText: (next) => {
      if (newest.current) setNow({ ...newest.current, text: next });
      check(next, undefined);
    },
    setAt: (path, value) => form && setForm(putAt(form, path, value) as Form),
    setForm,
    save: async (withMistakes = false) => {
      while (isUnderWay.current) await new Promise((resolve) => setTimeout(resolve, SOON_MS));
      if (!base || !newest.current) return undefined;
      const before = base;
      try {
        const shown = await CALLS[what].save(name, newest.current.text, base.mark, withMistakes);
        setBase(shown);
        setNow(shown);
        setProblem(undefined);
        queries.setQueryData(["source", what, name], shown);
        didAct({
          says: `${shown.file} is saved.`,
          undo: async () => {
            const back = await CALLS[what].save(name, before.text, shown.mark, true);
            setBase(back);
            setNow(back);
            queries.setQueryData(["source", what, name], back);
          },
        });
        return shown;
      } catch (fault) {
        setProblem(fault);
        if (fault instanceof ServerError && fault.code === "fileChanged")
          void queries.invalidateQueries({ queryKey: ["source", what, name] });
        return undefined;
      }
    },
    takeTheirs: () => {
      if (!saved) return;
      setBase(saved);
      setNow(saved);
      setProblem(undefined);
    },
    keepOurs: () => {
      if (!saved) return;
      // From now on what is here goes over what they wrote.
      setBase(saved);
      setProblem(undefined);
    },
  };
}
