import type { JobInput, readReview, ReviewRow } from "../../jobs/index.js";
import type { CommonOptions } from "../with-project.js";

export interface ReviewOptions extends CommonOptions {
  readonly step?: string | undefined;
  readonly rule?: string | undefined;
  readonly where?: string | undefined;
  readonly check?: boolean | undefined;
  readonly rows?: number | undefined;
  readonly seed?: number | undefined;
  readonly figures?: boolean | undefined;
  readonly names?: boolean | undefined;
  readonly only?: string | undefined;
  readonly accept?: boolean | undefined;
  readonly edit?: readonly string[] | undefined;
  readonly reject?: string | boolean | undefined;
  readonly again?: string | undefined;
  readonly undo?: string | undefined;
  readonly out?: string | undefined;
  readonly in?: string | undefined;
  readonly samples?: string | boolean | undefined;
  readonly as?: string | undefined;
  readonly inPlace?: boolean | undefined;
}

export const filterOf = ({ step, rule, where }: ReviewOptions): Pick<JobInput<typeof readReview>, "step" | "rule" | "where"> => ({
  step,
  rule,
  where,
});

export const judgedOf = ({ values }: ReviewRow): Record<string, string> =>
  Object.fromEntries(values.map(({ column, judged }) => [column, judged]));

export function cameTold(came: "decided" | "open" | "disputed" | "askedAgain"): string {
  if (came === "open") return "waits for another to say the same";
  if (came === "disputed") return "is disputed";
  return came === "askedAgain" ? "is asked again at the next fill" : "decided";
}

/** A listed option may be named by its number. */
export const named = (options: readonly string[], said: string): string =>
  /^\d+$/.test(said) ? (options[Number(said) - 1] ?? said) : said;
