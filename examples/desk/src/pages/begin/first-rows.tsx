import type { CallReport } from "yoroshi/client";
import { plural, whole } from "../../parts/words.js";

type Looked = CallReport<"lookAtNew">;

const KINDS: Readonly<Record<Looked["look"]["columns"][number]["looksLike"], string>> = {
  text: "text",
  choice: "a few words",
  number: "numbers",
  date: "days",
  yesNo: "yes or no",
  name: "names",
  empty: "empty",
};
const LANGUAGES = new Intl.DisplayNames("en", { type: "language" });

/** The table's first rows, with what seems to stand in each column. */
export function FirstRows({ look, rows }: Looked) {
  const where = [look.sheet && `sheet ${look.sheet}`, look.headerRow && `names in row ${look.headerRow}`].filter(Boolean);
  return (
    <section className="first-rows" aria-label="The table's first rows" tabIndex={0}>
      <table>
        <caption>
          {look.name}
          {where.length > 0 ? `: ${where.join(", ")}` : ""}; {plural(look.columns.length, "column")}, by the first{" "}
          {plural(look.lookedAt, "row")}
        </caption>
        <thead>
          <tr>
            {look.columns.map(({ name, looksLike, language, filled }) => (
              <th key={name} scope="col">
                <b>{name || "(no name)"}</b>
                <small>
                  {KINDS[looksLike]}
                  {language ? `, ${languageTold(language)}` : ""}
                  {filled < 1 ? `, ${whole(filled)}` : ""}
                </small>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row, index) => (
            // Rows that are only looked at have no key yet.
            <tr key={index}>
              {look.columns.map(({ name }) => (
                <td key={name}>{row[name]}</td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

function languageTold(code: string): string {
  try {
    return LANGUAGES.of(code) ?? code;
  } catch {
    return code;
  }
}
