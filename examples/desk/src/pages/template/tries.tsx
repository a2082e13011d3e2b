import { diffLines } from "diff";
import { useSyncExternalStore } from "react";
import type { CallReport } from "yoroshi/client";
import { EvidenceOf } from "../../parts/evidence.js";
import { money, when } from "../../parts/words.js";

type Answered = CallReport<"tryRow">;

/** One try: what the template said then, what came of it. */
export interface Try {
  readonly at: number;
  readonly told: string;
  readonly inputs: Readonly<Record<string, string>>;
  readonly text: string;
  readonly answer: Answered;
}

// Kept as long as the page lives: whoever goes to the table and comes back finds them.
const kept = new Map<string, readonly Try[]>();
const listeners = new Set<() => void>();
const NONE: readonly Try[] = [];
const MOST = 12;

export function keepTry(template: string, one: Try): void {
  kept.set(template, [one, ...(kept.get(template) ?? [])].slice(0, MOST));
  for (const tell of listeners) tell();
}

const useTries = (template: string): readonly Try[] =>
  useSyncExternalStore(
    (tell) => {
      listeners.add(tell);
      return () => void listeners.delete(tell);
    },
    () => kept.get(template) ?? NONE,
  );

/** Tries side by side, the newest first, each with what changed since the one before it. */
export function Tries({ template, currency }: { readonly template: string; readonly currency: string }) {
  const tries = useTries(template);
  if (tries.length === 0) return <p className="quiet">What you try stands here, one beside the other.</p>;
  return (
    <ol className="tries" tabIndex={0} aria-label="Tries, the newest first">
      {tries.map((one, index) => (
        <li key={one.at}>
          <Told one={one} before={tries.slice(index + 1).find(({ told }) => told === one.told) ?? tries[index + 1]} currency={currency} />
        </li>
      ))}
    </ol>
  );
}

function Told({ one, before, currency }: { readonly one: Try; readonly before: Try | undefined; readonly currency: string }) {
  const { answer } = one;
  const sameRow = before && before.told === one.told && JSON.stringify(before.inputs) === JSON.stringify(one.inputs);
  return (
    <>
      <h3>
        {one.told} <small className="quiet">{when(one.at)}</small>
      </h3>
      {answer.state === "declined" && !("cells" in answer) ? <p className="problem">{answer.reason}</p> : null}
      {"cells" in answer ? (
        <>
          {answer.state === "answered" ? null : (
            <p className="problem">
              {answer.state}: {answer.reason}
            </p>
          )}
          <dl className="got">
            {answer.cells.map(({ part, value }) => {
              const was = sameRow && "cells" in before.answer ? before.answer.cells.find((cell) => cell.part === part)?.value : undefined;
              return (
                <div key={part}>
                  <dt>{part}</dt>
                  <dd>
                    <span className="ink">{value || "(blank)"}</span>
                    {was !== undefined && was !== value ? <small> before: {was || "(blank)"}</small> : null}
                  </dd>
                </div>
              );
            })}
          </dl>
          {answer.evidence?.map((one) => (
            <EvidenceOf key={one.part} evidence={one} />
          ))}
          {answer.notes.map((note) => (
            <p key={note} className="quiet">
              {note}
            </p>
          ))}
          <details>
            <summary>the raw reply</summary>
            <pre>{answer.raw}</pre>
          </details>
          <small className="quiet">
            {answer.known
              ? "known already, nothing was asked"
              : `${answer.usage.tokensIn} tokens in, ${answer.usage.tokensOut} out, ${money(answer.spent, currency)}, ${Math.round(answer.tookMs)} ms`}
            ; {answer.model}
          </small>
        </>
      ) : null}
      {before && before.text !== one.text ? <Changed before={before.text} now={one.text} /> : null}
    </>
  );
}

/** The lines of the template that changed between two tries. */
export function Changed({ before, now }: { readonly before: string; readonly now: string }) {
  const parts = diffLines(before, now).filter(({ added, removed }) => added || removed);
  return (
    <details open>
      <summary>changed since the try before</summary>
      <DiffLines parts={parts} />
    </details>
  );
}

/** Lines that came and went, each with its sign. */
export const DiffLines = ({
  parts,
}: {
  readonly parts: readonly { readonly value: string; readonly added?: boolean; readonly removed?: boolean }[];
}) => (
  <pre className="diff">
    {parts.map(({ value, added, removed }, index) => (
      // The same line may come twice.
      <span key={index} className={added ? "added" : removed ? "removed" : ""}>
        {value
          .replace(/\n$/, "")
          .split("\n")
          .map((line) => `${added ? "+" : removed ? "−" : " "} ${line}\n`)
          .join("")}
      </span>
    ))}
  </pre>
);
