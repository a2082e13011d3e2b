import { afterAll, expect, it } from "vitest";
import { removeTempFolders } from "../helpers/cli.js";
import { killFills } from "../helpers/kills.js";

afterAll(removeTempFolders);

it("a fill killed 100 times at random moments ends with every row right", async () => {
  await killFills(100);
  expect.hasAssertions();
});
