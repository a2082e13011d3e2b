import { Link } from "@tanstack/react-router";
import { useEffect, type ReactNode } from "react";
import { useActs, undoLast } from "./acts.js";
import { turnKeys, useKeysAreOn, useKeys } from "./keys.js";
import { useContact } from "./live.js";
import { RunsUnderWay } from "./runs-under-way.js";
import { Way, type Station } from "./way.js";
import "./shell.css";

interface ShellProps {
  readonly title: string;
  /** What the page is about, in words. */
  readonly about?: ReactNode;
  /** The plan whose way is shown, and where on it the page stands. */
  readonly plan?: string | undefined;
  readonly template?: string | undefined;
  readonly station?: Station | undefined;
  /** The plan's table is still being read: its figures are asked for later, so that its rows are not kept waiting behind them. */
  readonly isReading?: boolean;
  /** What can be done with the page as a whole. */
  readonly acts?: ReactNode;
  /** It is as long as what it shows, and scrolls as a page; otherwise it fills the window. */
  readonly flows?: boolean;
  readonly foot?: ReactNode;
  readonly children: ReactNode;
}

/** What every page has: its name, the way, what was done last, what runs. */
export function Shell({ title, about, plan, template, station, isReading = false, acts, flows = false, foot, children }: ShellProps) {
  useEffect(() => {
    document.title = `${title}${station ? ` · ${station}` : ""} · Yoroshi`;
  }, [title, station]);
  useKeys({ z: () => void undoLast() });
  useEffect(() => {
    const hear = (event: KeyboardEvent): void => {
      if (event.key !== "z" || !(event.ctrlKey || event.metaKey) || event.shiftKey) return;
      if (event.target instanceof HTMLElement && event.target.closest("input, textarea, [contenteditable]")) return;
      event.preventDefault();
      void undoLast();
    };
    document.addEventListener("keydown", hear);
    return () => document.removeEventListener("keydown", hear);
  }, []);
  return (
    <div className={flows ? "shell flows" : "shell"}>
      <header>
        <a className="skip" href="#main">
          To the page itself
        </a>
        <div className="head">
          <Link to="/" className="seal" aria-label="What needs me: the desk">
            <Seal />
          </Link>
          <h1>{title}</h1>
          {about === undefined ? null : <p>{about}</p>}
          <div className="right">{acts}</div>
        </div>
      </header>
      <Way plan={plan} template={template} station={station} isReading={isReading} />
      <main id="main" tabIndex={-1}>
        {children}
      </main>
      <Foot>{foot}</Foot>
    </div>
  );
}

const Seal = () => (
  <svg viewBox="0 0 20 24" aria-hidden="true" fill="none" stroke="currentColor" strokeWidth="2" strokeLinecap="round">
    <path d="M10.5 2v14.5M10.5 8h6M10.5 16.5c-4 -1.6 -8 -.8 -8 1.7 0 2.6 8 2.3 8 -1.7 3.5 .6 5 2 7.5 4" />
  </svg>
);

/** What was done last, with the way back; what runs; whether the server is there. */
function Foot({ children }: { readonly children: ReactNode }) {
  const contact = useContact();
  const acts = useActs();
  const keys = useKeysAreOn();
  const last = acts.at(-1);
  return (
    <footer className="foot">
      {contact === "lost" || contact === "signedOut" ? (
        <p className="contact problem" role="alert">
          {contact === "lost" ? (
            "The server does not answer; it is tried again every second. What was saved is safe."
          ) : (
            <>
              This page has no session. Open the link that <code>yoroshi open</code> printed; it works once, within ten minutes.
            </>
          )}
        </p>
      ) : null}
      {children}
      <RunsUnderWay />
      <p role="status" className={last?.isProblem ? "problem" : undefined}>
        {last?.says}
      </p>
      <div className="right">
        {last?.undo ? (
          <button type="button" className="act" onClick={() => void undoLast()}>
            Undo <b>Z</b>
          </button>
        ) : null}
        <button type="button" className="quiet-act" aria-pressed={keys} onClick={() => turnKeys(!keys)}>
          single keys {keys ? "on" : "off"}
        </button>
      </div>
    </footer>
  );
}
