import type { ReactNode } from "react";
import type { CallReport } from "yoroshi/client";
import "./evidence.css";

type Step = CallReport<"explainRow">["steps"][number];
export type Evidence = NonNullable<NonNullable<Step["answer"]>["answer"]["evidence"]>[number];

/** The words that carry a part of an answer, marked in the text where they stand; or that none were found. */
export function EvidenceOf({ evidence, children }: { readonly evidence: Evidence; readonly children?: ReactNode }) {
  const { part, found, quote, source, place, before, behind } = evidence;
  if (found === "never")
    return (
      <p className="evidence">
        <i>{part}</i> {quote ? <>is blank: “{quote}” does not stand in the row</> : "is blank: no words were given that carry it"}
      </p>
    );
  return (
    <figure className="evidence">
      <figcaption>
        <i>{part}</i> {children}{" "}
        <small>
          {source}, {place}
          {found === "mended" ? "; found after the mend" : ""}
        </small>
      </figcaption>
      <blockquote>
        {before}
        <mark>{quote}</mark>
        {behind}
      </blockquote>
    </figure>
  );
}
