import { expect, it } from "vitest";
import { Told } from "./told.js";

it("tells a row once, whatever its steps, and puts together what differs only in its figures", () => {
  const told = new Told();
  for (const step of ["rows", "tell"]) {
    for (const [index, key] of ["a", "b", "c"].entries()) told.add(`worst: only 6 of ${index + 7} rows, by its limit`, key, step);
  }
  told.add("line: edited, the row has changed since", "a", "tell");
  expect(told.all).toEqual([
    { note: "worst: only … of … rows, by its limit", rows: 3, keys: ["a", "b", "c"] },
    { note: "line: edited, the row has changed since", rows: 1, keys: ["a"] },
  ]);
});
