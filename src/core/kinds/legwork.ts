import type { AnySpec, Kind } from "./kind.js";
import { handleFromCell, handleSchema } from "./source-handle.js";

/** What is looked up before a question is asked, as a template's `legwork` says. */
export interface LegworkSpec {
  /** Searches, as Liquid over the inputs; one that comes out blank is left out. */
  readonly search?: readonly string[] | undefined;
  /** Pages that are read in any case, as Liquid over the inputs that gives an address. */
  readonly read?: readonly string[] | undefined;
  /** The engine by its name in yoroshi.yaml. Default: the first. */
  readonly engine?: string | undefined;
  /** Most results of each search that are looked at. Default 3. */
  readonly results?: number | undefined;
  /** Most pages that are read, followed ones included. Default 4. */
  readonly readPages?: number | undefined;
  /** Hosts that alone are read, and such that are not; a host stands for those below it, too. */
  readonly hosts?: { readonly only?: readonly string[] | undefined; readonly not?: readonly string[] | undefined } | undefined;
  /** Links of a page to its own host that are read, too, where their address has one of these words. */
  readonly follow?: readonly string[] | undefined;
  /** How often the model may ask for more, searches and pages: a request each. Default 0. */
  readonly further?: number | undefined;
  /** Most characters of all that is shown. Default 6,000. */
  readonly maxChars?: number | undefined;
  /** How old what was found may be. Default 30. */
  readonly maxAgeDays?: number | undefined;
}

export const LEGWORK_DEFAULTS = { results: 3, readPages: 4, maxChars: 6_000, maxAgeDays: 30 };

/** The name under which a task and its evidence know what was found. */
export const FOUND = "found";

/** What was found before a question: no kind that a person writes, but handled as one. */
export const legwork: Kind<AnySpec & LegworkSpec, never> = {
  kind: "legwork",
  summary: "What was found by searching and reading before the question.",
  keys: {},
  inputOnly: true,
  isOwn: true,
  source: "legwork",
  isProse: true,
  control: "area",
  value: () => handleSchema({ kind: "legwork" }) as never,
  tell: () => "what was found",
  fromCell: (spec, cell) => handleFromCell(spec, cell) as never,
  toCell: (_spec, value) => JSON.stringify(value),
  typescript: () => "never",
};
