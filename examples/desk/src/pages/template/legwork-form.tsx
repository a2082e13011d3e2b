import { useEffect, useState } from "react";
import { RemarksAt } from "../../parts/source/remarks.js";
import type { Json, Source } from "../../parts/source/use-source.js";

type Spec = Readonly<Record<string, Json>>;

/** What is looked up for each row before it is answered: searches, addresses, and how far that may go. */
export function LegworkForm({ source }: { readonly source: Source }) {
  const given = source.form?.["legwork"];
  const spec: Spec | undefined = typeof given === "object" && given !== null && !Array.isArray(given) ? (given as Spec) : undefined;
  const firstInput = Object.keys((source.form?.["inputs"] ?? {}) as object)[0] ?? "";
  const hosts = (spec?.["hosts"] ?? {}) as Spec;
  const set = (key: string, value: Json | undefined): void => {
    const next = { ...spec, [key]: value };
    if (value === undefined) delete next[key];
    source.setAt(["legwork"], Object.keys(next).length === 0 ? undefined : (next as Json));
  };
  const setHosts = (key: "only" | "not", value: Json | undefined): void => {
    const next = { ...hosts, [key]: value };
    if (value === undefined) delete next[key];
    set("hosts", Object.keys(next).length === 0 ? undefined : (next as Json));
  };
  return (
    <section className="specs">
      <h2>Looked up before</h2>
      {spec === undefined ? (
        <p className="quiet">
          Nothing.{" "}
          <button type="button" className="quiet-act" onClick={() => source.setAt(["legwork"], { search: [`{{ ${firstInput} }}`] })}>
            Look something up for each row
          </button>
        </p>
      ) : (
        <div className="kind-form">
          <Lines label="searches, one on each line" value={spec["search"]} onValue={(value) => set("search", value)} />
          <Lines label="pages by their addresses" value={spec["read"]} onValue={(value) => set("read", value)} />
          <Lines label="links of a page to follow, by a word in them" value={spec["follow"]} onValue={(value) => set("follow", value)} />
          <Lines label="only these hosts" value={hosts["only"]} onValue={(value) => setHosts("only", value)} />
          <Lines label="not these hosts" value={hosts["not"]} onValue={(value) => setHosts("not", value)} />
          <Amount label="results of a search" value={spec["results"]} onValue={(value) => set("results", value)} />
          <Amount label="pages read" value={spec["readPages"]} onValue={(value) => set("readPages", value)} />
          <Amount label="characters shown" value={spec["maxChars"]} onValue={(value) => set("maxChars", value)} />
          <Amount label="fresh for, in days" value={spec["maxAgeDays"]} onValue={(value) => set("maxAgeDays", value)} />
          <Amount label="further turns" value={spec["further"]} onValue={(value) => set("further", value)} />
          <div className="acts">
            <button type="button" className="act" onClick={() => source.setAt(["legwork"], undefined)}>
              Look nothing up
            </button>
          </div>
        </div>
      )}
      <RemarksAt source={source} path="legwork" />
    </section>
  );
}

interface FieldProps {
  readonly label: string;
  readonly value: Json | undefined;
  readonly onValue: (value: Json | undefined) => void;
}

/** Several texts, a line for each. A line that is being begun is none yet. */
function Lines({ label, value, onValue }: FieldProps) {
  const now = Array.isArray(value) ? value.map(String).join("\n") : "";
  const [text, setText] = useState(now);
  useEffect(() => {
    setText((before) => (linesOf(before).join("\n") === now ? before : now));
  }, [now]);
  return (
    <label className="facet whole">
      {label}
      <textarea
        rows={Math.max(1, text.split("\n").length)}
        value={text}
        onChange={({ target }) => {
          setText(target.value);
          const lines = linesOf(target.value);
          onValue(lines.length === 0 ? undefined : lines);
        }}
      />
    </label>
  );
}

const linesOf = (text: string): string[] =>
  text
    .split("\n")
    .map((line) => line.trim())
    .filter((line) => line !== "");

const Amount = ({ label, value, onValue }: FieldProps) => (
  <label className="facet">
    {label}
    <input
      type="number"
      step="any"
      min={0}
      placeholder="as usual"
      value={typeof value === "number" ? value : ""}
      onChange={({ target }) => onValue(target.value === "" ? undefined : Number(target.value))}
    />
  </label>
);
