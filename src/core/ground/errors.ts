import { formatComplaint, type Complaint } from "./complaint.js";
import { groupDigits, plural } from "./words.js";

interface ErrorEntry<D> {
  /** Exit code of the command line: 2 the request or a file was wrong, 3 the outside world failed, 130 interrupted. */
  readonly exit: 1 | 2 | 3 | 130;
  /** Status of the HTTP interface. */
  readonly http: number;
  /** What is wrong, where, and what to do. Never row content, prompts or keys. */
  readonly say: (details: D) => string;
}

const entry = <D>(exit: ErrorEntry<D>["exit"], http: number, say: (details: D) => string): ErrorEntry<D> => ({ exit, http, say });

/** Every error that Yoroshi throws, with its exit code, HTTP status and sentence. `docs/errors.md` lists the same codes. */
export const ERRORS = {
  filesInvalid: entry(
    2,
    400,
    (d: { complaints: readonly Complaint[] }) =>
      `${plural(d.complaints.length, "mistake")} found:\n${d.complaints.map((c) => `  ${formatComplaint(c)}`).join("\n")}`,
  ),
  noProject: entry(
    2,
    404,
    (d: { folder: string }) =>
      `There is no yoroshi.yaml in ${d.folder} or above it. Go to a project's folder, or make one with \`yoroshi demo\`.`,
  ),
  notFound: entry(
    2,
    404,
    (d: { what: string; name: string; near?: string | undefined; known: readonly string[] }) =>
      `There is no ${d.what} \`${d.name}\`. ${d.near ? `Did you mean \`${d.near}\`?` : `There are: ${d.known.join(", ") || "none"}.`}`,
  ),
  fileUnreadable: entry(2, 400, (d: { file: string; problem: string }) => `${d.file} cannot be read: ${d.problem}.`),
  fileUnwritable: entry(
    3,
    500,
    (d: { file: string; problem: string }) =>
      `${d.file} cannot be written: ${d.problem}. The answers are safe in the ledger; run the same command again.`,
  ),
  tableBroken: entry(2, 400, (d: { table: string; place: string; problem: string }) => `${d.table}, ${d.place}: ${d.problem}`),
  packageUnusable: entry(3, 500, (d: { name: string; problem: string }) => `The package ${d.name} cannot be used: ${d.problem}.`),
  databaseUnusable: entry(3, 502, (d: { database: string; problem: string }) => `The database ${d.database} cannot be used: ${d.problem}.`),
  databaseRights: entry(
    3,
    502,
    (d: { database: string; problem: string; rights: string }) => `The database ${d.database}: ${d.problem}. Needed: ${d.rights}.`,
  ),
  cellsRefused: entry(
    1,
    409,
    (d: { table: string; rows: number; keys: readonly string[]; columns: readonly string[]; problem: string }) =>
      `${d.table} did not take the values of ${plural(d.rows, "row")} (${d.columns.join(", ")}): ${d.problem}. For example: ${d.keys.join(", ")}. All others are written; mend the column and run the same command again.`,
  ),
  notReady: entry(
    3,
    502,
    (d: { plan: string; problems: readonly string[] }) =>
      `The plan ${d.plan} cannot be filled yet; nothing was asked:\n${d.problems.map((problem) => `  - ${problem}`).join("\n")}`,
  ),
  keyCommandUnconfirmed: entry(
    2,
    400,
    (d: { model: string; command: readonly string[] }) =>
      `The key of the model ${d.model} is what a command prints: ${d.command.join(" ")}. Nobody has said on this machine that this project may run it. Look at it, then \`yoroshi model check ${d.model} --confirm\`.`,
  ),
  keyUnread: entry(
    2,
    400,
    (d: { model: string; from: string; problem: string }) =>
      `The key of the model ${d.model} could not be had from ${d.from}: ${d.problem}.`,
  ),
  notApproved: entry(
    2,
    409,
    (d: { template: string }) =>
      `No version of the template ${d.template} has been approved yet. Look at them with \`yoroshi versions ${d.template}\`, then \`yoroshi versions ${d.template} --approve <number>\`.`,
  ),
  nothingToDecide: entry(
    2,
    404,
    (d: { plan: string; key: string; column?: string | undefined }) =>
      `The plan ${d.plan} has no value to decide for the row ${d.key}${d.column === undefined ? "" : ` in \`${d.column}\``}. \`yoroshi review ${d.plan}\` shows what waits.`,
  ),
  answerMovedOn: entry(
    2,
    409,
    (d: { key: string; column: string }) =>
      `The answer to the row ${d.key} has changed since its \`${d.column}\` was shown. Nothing was decided; look at it again.`,
  ),
  decisionUnfit: entry(
    2,
    400,
    (d: { key: string; column: string; problem: string }) =>
      `Row ${d.key}, \`${d.column}\`: ${d.problem}. Nothing was decided about the row.`,
  ),
  rowBusy: entry(3, 409, (d: { key: string }) => `Somebody else is deciding about the row ${d.key} at this moment. Try again.`),
  nothingToCheck: entry(
    2,
    409,
    (d: { plan: string; step: string; version: number; model: string }) =>
      `There is nothing to draw a random check from: no cell of the step ${d.step} of ${d.plan} stands as version ${d.version} and ${d.model} answered it, undecided by a person. Fill the plan first.`,
  ),
  columnsMissing: entry(
    2,
    409,
    (d: { table: string; statements: readonly string[] }) =>
      `${d.table} lacks columns that the plan fills. Add them, or let them be added with --create-columns:\n${d.statements.map((statement) => `  ${statement};`).join("\n")}`,
  ),
  overContext: entry(
    2,
    409,
    (d: {
      step: string;
      template: string;
      model: string;
      context: string;
      rows: string;
      keys: readonly string[];
      longest: string;
      tokens: string;
    }) =>
      `${d.rows} of the step ${d.step} would not fit the model ${d.model}, which has room for ${d.context} tokens (${d.keys.join(", ")}); the longest is ${d.longest} with about ${d.tokens}. Give the inputs of ${d.template} a \`maxChars\` with \`whenLong\`, or leave these rows out with \`when\` or --where.`,
  ),
  keyRepeats: entry(
    2,
    409,
    (d: { table: string; key: readonly string[]; repeated: number; rows: number; candidates: readonly (readonly string[])[] }) =>
      `${d.table}: \`${d.key.join("`, `")}\` does not name one row: in ${d.repeated} of ${plural(d.rows, "row")} it is the same as in an earlier one. Name the rows by ${(d
        .candidates.length > 0
        ? d.candidates
        : [[...d.key, "…"]]
      )
        .slice(0, 5)
        .map((one) => `\`key: ${one.length === 1 ? one[0] : `[${one.join(", ")}]`}\``)
        .join(" or ")}. Nothing was written.`,
  ),
  writingUnclear: entry(
    2,
    409,
    (d: {
      table: string;
      column: string;
      what: "numbers" | "dates";
      forms: readonly [string, string];
      examples: readonly { readonly text: string; readonly place: string }[];
    }) =>
      `${d.table}: the ${d.what === "numbers" ? "numbers" : "days"} in \`${d.column}\` ${d.examples.length > 1 ? "are written in two ways" : "can be read in two ways"}: ${d.examples.map(({ text, place }) => `\`${text}\` (${place})`).join(", ")}. Say under \`table:\` in the plan which is meant, ${d.forms.map((form) => `\`${d.what}: ${form}\``).join(" or ")}; for this column alone: \`columns: { ${JSON.stringify(d.column)}: { ${d.what}: ${d.forms[0]} } }\`. Nothing was asked.`,
  ),
  standingUnknown: entry(
    2,
    409,
    (d: { target: string; columns: readonly string[] }) =>
      `${d.target} holds values in \`${d.columns.join("`, `")}\` that the ledger knows nothing of (was it lost?). --standing renew writes them anew and keeps the file as a backup; --standing keep takes them for a person's.`,
  ),
  tableTooLarge: entry(
    2,
    409,
    (d: { table: string; rows: number }) =>
      `${d.table} has more than ${d.rows.toLocaleString("en")} rows, too many to be looked at as a whole. Fills and review go on all the same; point the plan at a part of it to look at its rows.`,
  ),
  fileChanged: entry(
    2,
    409,
    (d: { file: string; theirs: string; yours: string }) =>
      `${d.file} has been changed by somebody else since it was read${d.theirs === "" ? ", or taken away" : ""}. Nothing was written; look at both and save again.`,
  ),
  capReached: entry(1, 402, (d: { problem: string }) => d.problem),
  dayCapReached: entry(
    1,
    429,
    (d: { token: string; cap: number }) =>
      `The token \`${d.token}\` may ask ${plural(d.cap, "question")} a day, and has asked them. Known answers are given all the same; ask again tomorrow (UTC), or make a token with a larger \`--per-day\`.`,
  ),
  fileExists: entry(2, 409, (d: { file: string }) => `${d.file} is there already. Give it another name, or say that it is to be replaced.`),
  rowExists: entry(
    2,
    409,
    (d: { table: string; keys: readonly string[] }) =>
      `${d.table} has ${d.keys.length === 0 ? "one of these keys twice among the new rows" : `a row with the key ${d.keys.map((key) => `\`${key}\``).join(", ")} already`}. Nothing was added.`,
  ),
  tableBusy: entry(3, 409, (d: { table: string }) => `${d.table} is being written by somebody else at this moment. Try again.`),
  tooLarge: entry(
    2,
    413,
    (d: { what: string; bytes: number }) => `${d.what} is larger than ${groupDigits(d.bytes)} bytes, the most that is taken.`,
  ),
  badInput: entry(2, 400, (d: { job: string; problems: readonly string[] }) => `${d.job}: ${d.problems.join("; ")}.`),
  badOption: entry(2, 400, (d: { option: string; problem: string }) => `${d.option}: ${d.problem}`),
  keyNotFound: entry(
    2,
    404,
    (d: { keys: readonly string[]; table: string }) => `${d.table} has no row with the key ${d.keys.map((k) => `\`${k}\``).join(", ")}.`,
  ),
  samplesUnfit: entry(2, 400, (d: { file: string; problem: string }) => `${d.file} cannot be used as samples: ${d.problem}`),
  secretMissing: entry(
    2,
    401,
    (d: { database: string; env: string }) =>
      `The database \`${d.database}\` takes its address from the environment variable ${d.env}, which is not set. Set it: \`export ${d.env}=…\`.`,
  ),
  keyMissing: entry(
    2,
    401,
    (d: { model: string; env: string }) =>
      `The model \`${d.model}\` takes its key from the environment variable ${d.env}, which is not set. Set it (\`export ${d.env}=…\`), or leave \`key\` out where the host needs none.`,
  ),
  keyUnfit: entry(
    2,
    401,
    (d: { model: string; env: string; problem: string }) =>
      `The key of the model \`${d.model}\` in the environment variable ${d.env} cannot be used: ${d.problem}.`,
  ),
  modelUnauthorised: entry(
    3,
    502,
    (d: { host: string; status: number }) =>
      `${d.host} refused the key (HTTP ${d.status}). Check the key and what it is allowed to do; nothing more was asked.`,
  ),
  modelRejected: entry(
    3,
    502,
    (d: { host: string; status: number; problem: string }) =>
      `${d.host} rejected the request (HTTP ${d.status}): ${d.problem}. Check the model's \`endpoint\`, \`id\` and settings in yoroshi.yaml.`,
  ),
  modelUnavailable: entry(
    3,
    502,
    (d: { host: string; problem: string; attempts: number }) =>
      `${d.host} could not be used: ${d.problem} (after ${plural(d.attempts, "attempt")}). Check the \`endpoint\` in yoroshi.yaml, and whether the host runs.`,
  ),
  modelGone: entry(
    3,
    502,
    (d: { host: string; problem: string }) =>
      `${d.host} kept failing: ${d.problem}. What was answered is written; run the same command again later.`,
  ),
  quotaSpent: entry(
    3,
    502,
    (d: { host: string }) => `${d.host} says that the quota is spent. Nothing more was asked; run again when there is quota.`,
  ),
  ledgerNewer: entry(
    2,
    409,
    (d: { file: string; found: number; known: number }) =>
      `${d.file} was written by a newer Yoroshi (ledger format ${d.found}; this one knows ${d.known}). Upgrade Yoroshi.`,
  ),
  ledgerBroken: entry(3, 500, (d: { file: string; problem: string }) => `The ledger ${d.file} cannot be used: ${d.problem}.`),
  planBusy: entry(
    2,
    409,
    (d: { plan: string }) =>
      `The plan ${d.plan} is being filled by another process. Wait for it to end; another plan can be filled meanwhile.`,
  ),
  projectClosed: entry<object>(2, 409, () => "The project is closed. Open it again to ask or fill."),
  cancelled: entry<object>(130, 499, () => "The caller waits no longer for this."),
  gateClosed: entry(
    1,
    409,
    (d: { plan: string; template: string; reason: string }) =>
      `The plan ${d.plan} was not filled: ${d.reason}. Improve the template and run \`yoroshi trial ${d.template}\`, or fill all the same with --ignore-gate.`,
  ),
  bundleBroken: entry(
    2,
    400,
    (d: { file: string; problem: string }) => `The bundle ${d.file} cannot be used: ${d.problem}. Nothing was written.`,
  ),
  portTaken: entry(
    2,
    409,
    (d: { port: number }) => `Something else uses the port ${d.port}. Choose another with --port, or end what uses it.`,
  ),
  noDesk: entry<object>(
    2,
    404,
    () => "The desk's pages are not built here. Run `npm run build` in the checkout, or install the package again.",
  ),
  hostRefused: entry<object>(2, 421, () => "This server is not reached under that name. Use the address that it printed."),
  originRefused: entry<object>(2, 403, () => "Another page may not do this. Open the server's own pages."),
  signInNeeded: entry<object>(
    2,
    401,
    () => "Open the link that the server printed, or send a token: `Authorization: Bearer …`. `yoroshi serve token` makes one.",
  ),
  rightMissing: entry(2, 403, (d: { needs: string }) => `This needs the right \`${d.needs}\`, which the token lacks.`),
  noSuchRoute: entry<object>(2, 404, () => "There is nothing under this address. /openapi.json lists what there is."),
  methodRefused: entry(2, 405, (d: { allowed: readonly string[] }) => `This address takes ${d.allowed.join(", ")}.`),
  typeRefused: entry(2, 415, (d: { expected: string }) => `The body must be ${d.expected}; say so in Content-Type.`),
  bodyBroken: entry(2, 400, (d: { problem: string }) => `The body cannot be read: ${d.problem}.`),
  tooMany: entry(2, 429, (d: { seconds: number }) => `Too many requests. Wait ${plural(d.seconds, "second")}.`),
  shuttingDown: entry<object>(3, 503, () => "The server is being stopped. What was answered is kept; ask again when it runs."),
  keyReused: entry<object>(2, 422, () => "This Idempotency-Key was used for another request before. Use a new one for each request."),
  callBackRefused: entry(2, 400, (d: { problem: string }) => `The call-back cannot be used: ${d.problem}.`),
  misuse: entry(2, 400, (d: { problem: string }) => d.problem),
  interrupted: entry(130, 499, (d: { next: string }) => `Interrupted. ${d.next}`),
} as const;

/** The codes of errors; see docs/errors.md. */
export type ErrorCode = keyof typeof ERRORS;
export type ErrorDetails<C extends ErrorCode> = (typeof ERRORS)[C] extends ErrorEntry<infer D> ? D : never;

/** By which the errors of all copies of the package know each other. */
const MARK = Symbol.for("yoroshi.error");

/**
 * The one error class: a `code`, its typed `details`, and a sentence for people.
 *
 * @example
 * ```ts
 * import { YoroshiError } from "yoroshi";
 *
 * const error = new YoroshiError("keyNotFound", { keys: ["R-1"], table: "log.csv" });
 * error.details.keys; // => ["R-1"]
 * console.log(error.message);
 * ```
 */
export class YoroshiError<C extends ErrorCode = ErrorCode> extends Error {
  override readonly name = "YoroshiError";
  readonly code: C;
  readonly details: ErrorDetails<C>;

  constructor(code: C, details: ErrorDetails<C>, options?: { cause?: unknown }) {
    super((ERRORS[code].say as (d: ErrorDetails<C>) => string)(details), options);
    this.code = code;
    this.details = details;
    // A cause may carry a request with its headers; it stays out of JSON and console output.
    if (options && "cause" in options) Object.defineProperty(this, "cause", { value: options.cause, enumerable: false });
  }

  get [MARK](): true {
    return true;
  }

  get exitCode(): number {
    return ERRORS[this.code].exit;
  }

  get httpStatus(): number {
    return ERRORS[this.code].http;
  }
}

/** Any of Yoroshi's errors; its `code` tells which `details` it has. */
export type AnyYoroshiError = { [Code in ErrorCode]: YoroshiError<Code> }[ErrorCode];

/**
 * Whether an error is Yoroshi's, also one of another copy of the package.
 *
 * @example
 * ```ts
 * import { isYoroshiError, plan } from "yoroshi";
 *
 * try {
 *   plan({ name: "tones", table: { file: "notes.csv", key: "id" }, steps: { tone: { set: { "": "" } } } });
 * } catch (error) {
 *   if (isYoroshiError(error)) console.log(error.code, error.message);
 * }
 * ```
 */
export function isYoroshiError(error: unknown): error is AnyYoroshiError {
  return error instanceof Error && MARK in error;
}
