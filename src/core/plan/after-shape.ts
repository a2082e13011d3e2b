import * as z from "zod/mini";
import { tableSourceShape } from "../ground/index.js";
import type { Afterwards, AfterRule } from "./plan.js";

const name = z
  .string()
  .check(z.regex(/^[A-Za-z][\w -]*$/, "The name of a rule is made of letters, digits, spaces and hyphens (for example `urgent`)."));
const columns = z.record(z.string(), z.string());
const someColumns = z.array(z.string()).check(z.minLength(1, "Name at least one column."));
const made = z.record(
  z.string(),
  z.union(
    [z.string(), z.strictObject({ cel: z.string() })],
    "Expected `row.<column>`, text with placeholders, `{{ row.vessel }}`, or `{ cel: <expression over row and before> }`.",
  ),
);

const acts = {
  name: z.optional(name),
  set: z.optional(made),
  in: z.optional(z.strictObject({ table: tableSourceShape, match: columns })),
  append: z.optional(z.strictObject({ table: tableSourceShape, set: made, back: z.optional(someColumns) })),
  notify: z.optional(
    z.strictObject({
      url: z.union([z.string(), z.strictObject({ env: z.string() })], "Expected an address, or `{ env: NAME }`."),
      secret: z.optional(z.strictObject({ env: z.string() })),
      send: z.array(z.string()),
    }),
  ),
  step: z.optional(z.string()),
};
const ACTS = ["set", "append", "notify", "step"] as const;
type Acts = Pick<AfterRule, (typeof ACTS)[number] | "in">;
const does = z.refine<Acts>(
  (rule) => ACTS.some((act) => rule[act] !== undefined),
  `A rule does something: ${ACTS.slice(0, -1).join(", ")} or ${ACTS.at(-1)}.`,
);
const inNeedsSet = z.refine<Acts>((rule) => rule.in === undefined || rule.set !== undefined, "`in` names the table for `set`.");

const rule = z.strictObject({ when: z.optional(z.string()), ...acts }).check(does, inNeedsSet);
const otherwise = z.strictObject(acts).check(does, inNeedsSet);
const rules = z.array(rule).check(z.minLength(1, "Say at least one rule."));

/** What a plan says of afterwards: rules, of which all that hold act; or, with `first`, the first that holds. */
export const afterwardsShape = z.union(
  [
    z.pipe(
      rules,
      z.transform((list): Afterwards => ({ rules: list, first: false })),
    ),
    z
      .strictObject({ first: z._default(z.boolean(), false), rules, otherwise: z.optional(otherwise) })
      .check(z.refine((value) => value.otherwise === undefined || value.first, "`otherwise` belongs to `first: true`.")),
  ],
  "Expected a list of rules, `- { when: …, set: { … } }`, or `{ first: true, rules: [ … ], otherwise: { … } }`.",
);
