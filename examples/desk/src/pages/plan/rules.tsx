import type { Json } from "../../parts/source/use-source.js";

type Map = Readonly<Record<string, Json>>;

const isMap = (value: Json | undefined): value is Map => value !== null && typeof value === "object" && !Array.isArray(value);
/** Columns with what they get, where that is plain words. */
const setsOf = (value: Json | undefined): string =>
  isMap(value)
    ? Object.entries(value)
        .map(([column, to]) => (typeof to === "string" && /^[\p{L}\p{N} -]+$/u.test(to) ? `${column} to ${to}` : column))
        .join(", ")
    : "";
const wordOf = (value: Json | undefined): string => (typeof value === "string" ? value : "");

/** Where another table is, in a word. */
function placeOf(value: Json | undefined): string {
  if (!isMap(value)) return "another table";
  return wordOf(value["file"]) || [wordOf(value["database"]), wordOf(value["table"])].filter(Boolean).join(".");
}

/** What a rule does, in words. */
function actOf(rule: Map): string {
  const { set, in: other, append, notify, step } = rule;
  const acts = [
    set !== undefined && (isMap(other) ? `sets ${setsOf(set)} in ${placeOf(other["table"])}` : `sets ${setsOf(set)}`),
    isMap(append) && `keeps a row in ${placeOf(append["table"])} as long as it holds`,
    isMap(append) && Array.isArray(append["back"]) && `${append["back"].map(String).join(", ")} may be changed there and come back`,
    isMap(notify) && `sends a message${typeof notify["url"] === "string" ? ` to ${notify["url"]}` : ""}`,
    typeof step === "string" && `asks for the step ${step}`,
  ];
  return acts.filter(Boolean).join("; ");
}

/** What is done about rows once their values stand: the plan's rules in their order. They are changed in the YAML beside. */
export function Rules({ afterwards }: { readonly afterwards: Json | undefined }) {
  const whole = isMap(afterwards) ? afterwards : {};
  const rules = ((Array.isArray(afterwards) ? afterwards : whole["rules"]) ?? []) as readonly Json[];
  const all = [...rules, ...(isMap(whole["otherwise"]) ? [whole["otherwise"]] : [])].filter(isMap);
  if (all.length === 0) return null;
  return (
    <section className="specs">
      <h2>Afterwards</h2>
      <p className="quiet">
        {whole["first"] === true
          ? "Of these rules the first that holds acts on a row."
          : "All of these rules that hold act on a row, in their order."}{" "}
        They are changed in the YAML.
      </p>
      <ol className="rules">
        {all.map((rule, index) => (
          <li key={index}>
            <b className="fig">{wordOf(rule["name"]) || index + 1}</b> {actOf(rule)}{" "}
            {rule === whole["otherwise"] ? (
              <small className="quiet">where no other holds</small>
            ) : typeof rule["when"] === "string" ? (
              <>
                <small className="quiet">when</small> <code>{rule["when"]}</code>
              </>
            ) : null}
          </li>
        ))}
      </ol>
    </section>
  );
}
