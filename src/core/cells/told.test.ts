import { expect, it } from "vitest";
import { remark, sentenceOf } from "../ground/index.js";
import { Told } from "./told.js";

it("tells a row once, whatever its steps, and puts together what differs only in its figures", () => {
  const told = new Told();
  for (const step of ["rows", "tell"]) {
    for (const [index, key] of ["a", "b", "c"].entries())
      told.add(remark("about", { name: "worst", remark: remark("relatedLeft", { kept: 6, of: index + 7 }) }), key, step);
  }
  told.add(remark("about", { name: "line", remark: remark("editedThenChanged") }), "a", "tell");
  expect(told.all.map(({ remark: one, ...rest }) => ({ note: sentenceOf(one), ...rest }))).toEqual([
    { note: "worst: only … of … rows, by its limit", rows: 3, keys: ["a", "b", "c"] },
    { note: "line: edited, the row has changed since", rows: 1, keys: ["a"] },
  ]);
});
