import { YoroshiError } from "../ground/index.js";
import { targetColumns, type FillOptions, type FillSetup } from "./setup.js";
import { hasWritten } from "./writers.js";

/**
 * Whether what stands in the filled columns is to be written anew. A result file of which the ledger knows nothing may hold
 * earlier answers or a person's values: only a person can say which.
 *
 * @throws YoroshiError `standingUnknown` where nobody did.
 */
export async function renewsStanding(
  setup: Pick<FillSetup, "plan" | "asking" | "table" | "ledger">,
  { standing }: Pick<FillOptions, "standing">,
): Promise<boolean> {
  const { table } = setup;
  if (standing === "renew") return true;
  if (standing === "keep" || table.ownResult !== true || (await table.standingMark()) === undefined || (await hasWritten(setup)))
    return false;
  const source = new Set(await table.columns());
  const columns = targetColumns(setup)
    .map(({ name }) => name)
    .filter((name) => !source.has(name));
  for await (const rows of table.standing(columns)) {
    if (rows.some(({ values }) => columns.some((column) => (values[column] ?? "") !== "")))
      throw new YoroshiError("standingUnknown", { target: table.target, columns });
  }
  return false;
}
