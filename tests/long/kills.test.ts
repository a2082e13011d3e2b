import { afterAll, expect, it } from "vitest";
import { removeTempFolders } from "../helpers/cli.js";
import { killFills } from "../helpers/kills.js";
import { PLACES } from "../helpers/places.js";

afterAll(removeTempFolders);

it.each(PLACES)("a fill of a table in %s, killed 25 times at random moments, ends with every row right", async (kind) => {
  await killFills(25, kind);
  expect.hasAssertions();
});
