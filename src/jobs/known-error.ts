import { BudgetSpent, formatMoney, isYoroshiError, ModelFailure, YoroshiError, type Capped } from "../core/index.js";

/** An error as every face tells it: a code, a sentence, and the exit code of a command. */
export interface KnownError {
  readonly code: string;
  readonly message: string;
  readonly exit: number;
}

/** An error as `--json` tells it. */
export function errorJson(error: unknown): { code: string; message: string } {
  const { code, message } = knownError(error);
  return { code, message };
}

/** Any error as one that can be told. */
export function knownError(error: unknown): KnownError {
  if (isYoroshiError(error)) return { code: error.code, message: error.message, exit: error.exitCode };
  if (error instanceof ModelFailure) return knownError(modelError(error));
  // Damage in the middle of the ledger shows only when that part is read.
  if (/^SQLITE_(CORRUPT|NOTADB)/.test(String((error as { code?: unknown }).code)))
    return knownError(
      new YoroshiError("ledgerBroken", {
        file: ".yoroshi/ledger.sqlite",
        problem:
          "it is damaged. Move it away to begin a new one: filled tables keep their values, which then count as a person's and stay; answers are asked anew",
      }),
    );
  if (error instanceof BudgetSpent) return { code: "spendCap", message: `${capAdvice(error)} What was answered is kept.`, exit: 1 };
  const message = error instanceof Error ? error.message.split("\n")[0]! : String(error);
  return {
    code: "unexpected",
    message: `Something unexpected happened: ${message}. Nothing recorded is lost. Set YOROSHI_DEBUG=1 for details.`,
    exit: 3,
  };
}

/** Which cap ended a run, and the way out that works. */
export function capAdvice({ why, needs, cap }: Capped, currency = ""): string {
  const money = (amount: number): string => formatMoney(amount, currency).trim();
  switch (why) {
    case "month":
      return `The month's cap is reached (\`limits: { spendPerMonth: … }\` in yoroshi.yaml; ${money(cap)} of it was left). Raise it there, or go on next month; --spend cannot.`;
    case "request":
      return `One request may cost up to ${money(needs)}, more than the cap of ${money(cap)}, so none was sent. Give \`--spend\` more than that, or the template a smaller \`model: { maxTokens: … }\`.`;
    default:
      return `The spend cap of ${money(cap)} leaves no room for another request; raise it with \`--spend\`, or in the plan's \`limits\`.`;
  }
}

/** The sentence for a failure that ends a run. */
export function modelError(failure: ModelFailure, host = "The model's host"): YoroshiError {
  const status = failure.status ?? 0;
  switch (failure.kind) {
    case "gone":
      return new YoroshiError("modelGone", { host, problem: failure.message });
    case "unauthorised":
      return new YoroshiError("modelUnauthorised", { host, status });
    case "quota":
      return new YoroshiError("quotaSpent", { host });
    case "rejected":
      return new YoroshiError("modelRejected", { host, status, problem: failure.message });
    case "cancelled":
      return new YoroshiError("interrupted", { next: "What was answered is kept; run the same command to go on." });
    default:
      return new YoroshiError("modelUnavailable", { host, problem: failure.message, attempts: 1 });
  }
}
