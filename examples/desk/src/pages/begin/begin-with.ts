import { queries, server } from "../../app/server.js";
import type { Begun } from "./page.js";
import type { Place } from "./place.js";
import { wantedOf, type Said, type What } from "./wanted.js";

/** All that was answered. */
export interface Answers {
  readonly place: Place;
  readonly what: What;
  readonly said: Said;
  readonly from: readonly string[];
  readonly column: string;
  readonly key: string;
  readonly isNumbered: boolean;
  readonly dates?: "dayFirst" | "monthFirst" | undefined;
  readonly numbers?: "comma" | "point" | undefined;
}

/** Makes template and plan; by a template that is there only the plan. */
export async function beginWith(answers: Answers): Promise<Begun> {
  const { place, what, said, from, column, key, isNumbered, dates, numbers } = answers;
  const begun =
    what === "template"
      ? await planWith(answers)
      : await server.beginPlan({
          place,
          wanted: wantedOf(what, said),
          from: [...from],
          ...(column.trim() ? { column: column.trim() } : {}),
          ...(isNumbered ? { number: key } : { key }),
          ...(dates ? { dates } : {}),
          ...(numbers ? { numbers } : {}),
          ...(what === "words" ? { words: said.words } : {}),
        });
  await queries.invalidateQueries();
  return begun;
}

async function planWith({ place, said, key }: Answers): Promise<Begun> {
  if (!("file" in place))
    throw new Error("A template that is there is put over a file; for a database's table, write the plan on its page.");
  const [, starter] = /^starter:(.+)$/.exec(said.template) ?? [];
  const base =
    place.file
      .replace(/^.*\//, "")
      .replace(/\.[^.]+$/, "")
      .toLowerCase()
      .replaceAll(/[^a-z0-9]+/g, "-")
      .replaceAll(/^-+|-+$/g, "") || "table";
  const { templates, plans = [] } = await server.listFiles({});
  const template = starter ?? said.template;
  if (starter && !templates.some(({ name }) => name === starter)) await server.writeStarter({ starter, template: starter });
  const free = (name: string): string => (plans.some((plan) => plan.name === name) ? free(`${name}-2`) : name);
  const { plan, file, fill } = await server.newPlan({
    plan: free(base),
    template,
    file: place.file,
    key: [key],
    ...(place.sheet === undefined ? {} : { sheet: place.sheet }),
    ...(place.headerRow === undefined ? {} : { headerRow: place.headerRow }),
  });
  return { root: "", plan, template, columns: Object.keys(fill), files: [file], isNew: false };
}
