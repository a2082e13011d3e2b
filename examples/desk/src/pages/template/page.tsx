import { useNavigate, useParams, useSearch } from "@tanstack/react-router";
import { useState } from "react";
import { useReading } from "../../app/server.js";
import { Shell } from "../../app/shell.js";
import { Reading } from "../../parts/problem.js";
import { Editor } from "../../parts/source/editor.js";
import { Remarks, RemarksAt, remarksOf } from "../../parts/source/remarks.js";
import { useSaveKey } from "../../parts/source/use-save-key.js";
import { useSource } from "../../parts/source/use-source.js";
import { LegworkForm } from "./legwork-form.js";
import { NamedSpecs } from "./named-specs.js";
import { NewTemplate } from "./new-template.js";
import { Try } from "./try.js";
import { Tries } from "./tries.js";
import { Versions } from "./versions.js";
import "./template.css";

type Side = "form" | "yaml" | "both";

/** A template: its words and its answer, the exact prompt of a row beside them, what came of tries in the margin. */
export function TemplatePage() {
  const { template } = useParams({ from: "/template/$template" });
  const { plan: asked, row } = useSearch({ from: "/template/$template" });
  const navigate = useNavigate({ from: "/template/$template" });
  const { data: files } = useReading("listFiles", {});
  const plans = (files?.plans ?? []).filter(({ templates }) => templates.includes(template)).map(({ name }) => name);
  const plan = asked ?? plans[0];
  const { data: shownPlan } = useReading("showPlan", { plan: plan ?? "" }, { enabled: plan !== undefined });
  const { data: kinds } = useReading("listKinds", {});
  const { data: project } = useReading("showProject", {});
  const source = useSource("template", template);
  const [side, setSide] = useState<Side>("form");
  const [margin, setMargin] = useState<"tries" | "versions" | "new">("tries");
  const { isDirty, save } = source;
  useSaveKey(source);
  const step = shownPlan?.steps.find((one) => one.template === template);
  const form = source.form;
  const inputs = Object.entries(
    (form?.["inputs"] ?? {}) as Readonly<Record<string, { readonly about?: string; readonly kind?: string }>>,
  ).map(([name, spec]) => ({
    name,
    about: spec.about ?? spec.kind ?? "",
  }));
  return (
    <Shell
      title={template}
      about={typeof form?.["title"] === "string" ? form["title"] : ""}
      plan={plan}
      template={template}
      station="write"
      flows
      acts={
        <>
          {(["form", "both", "yaml"] as const).map((one) => (
            <button key={one} type="button" className="act" aria-pressed={side === one} onClick={() => setSide(one)}>
              {{ form: "Form", both: "Beside its YAML", yaml: "YAML" }[one]}
            </button>
          ))}
          <button type="button" className="act" disabled={!isDirty} onClick={() => void save()}>
            Save <b>Ctrl S</b>
          </button>
          {isDirty && source.complaints.length > 0 ? (
            <button type="button" className="act" onClick={() => void save(true)}>
              Save with its mistakes
            </button>
          ) : null}
        </>
      }
    >
      <div className={`spread ${side}`}>
        {side === "yaml" ? null : (
          <div className="written">
            <Remarks source={source} />
            {form && kinds ? (
              <>
                <section>
                  <h2>The task</h2>
                  <label className="role">
                    <small>who answers</small>
                    <textarea
                      rows={2}
                      value={String(form["role"] ?? "")}
                      onChange={({ target }) => source.setAt(["role"], target.value === "" ? undefined : target.value)}
                    />
                  </label>
                  <Editor
                    label="The task"
                    as="task"
                    text={String(form["task"] ?? "")}
                    inputs={inputs}
                    onText={(task) => source.setAt(["task"], task)}
                    onSave={() => void save()}
                  />
                  <RemarksAt source={source} path="task" />
                  <small className="quiet">
                    {inputs.length > 0
                      ? `${inputs.map(({ name }) => `{{ ${name} }}`).join(", ")} put a row's words in; type {{ to choose.`
                      : "Add an input below; then {{ name }} puts it in."}
                  </small>
                </section>
                <NamedSpecs source={source} at="inputs" title="Inputs" word="input" kinds={kinds.kinds} />
                <LegworkForm source={source} />
                <NamedSpecs
                  source={source}
                  at="answer"
                  title="The answer"
                  word="part"
                  kinds={kinds.kinds.filter(({ inputOnly }) => !inputOnly)}
                  fills={columnsOf(step?.fills)}
                />
                <Examples count={Array.isArray(form["examples"]) ? form["examples"].length : 0} onYaml={() => setSide("both")} />
              </>
            ) : source.problem ? null : (
              <Reading what="the template" />
            )}
          </div>
        )}
        {side === "form" ? (
          <Try
            template={template}
            plan={plan}
            plans={plans}
            step={step?.name}
            source={source}
            inputs={inputs.map(({ name }) => name)}
            wanted={row}
            currency={project?.currency ?? ""}
            onPlan={(next) => void navigate({ search: { plan: next } })}
            onTried={() => setMargin("tries")}
          />
        ) : (
          <section className="yaml-side" aria-label="YAML">
            <h2>{source.file}</h2>
            {side === "yaml" ? <Remarks source={source} /> : null}
            <Editor
              label={`${source.file}, YAML`}
              as="yaml"
              text={source.text}
              onText={source.setText}
              onSave={() => void save()}
              remarks={remarksOf(source)}
            />
          </section>
        )}
        <aside className="verdict" aria-label="Tries and versions">
          <div className="acts">
            {(["tries", "versions", "new"] as const).map((one) => (
              <button key={one} type="button" className="act" aria-pressed={margin === one} onClick={() => setMargin(one)}>
                {{ tries: "Tries", versions: "Versions", new: "New template" }[one]}
              </button>
            ))}
          </div>
          {margin === "tries" ? (
            <Tries template={template} currency={project?.currency ?? ""} />
          ) : margin === "versions" ? (
            <Versions template={template} source={source} />
          ) : (
            <NewTemplate />
          )}
        </aside>
      </div>
    </Shell>
  );
}

/** Column -> part, turned round. */
const columnsOf = (fills: Readonly<Record<string, string>> = {}): Record<string, string> =>
  Object.fromEntries(Object.entries(fills).map(([column, part]) => [part, column]));

const Examples = ({ count, onYaml }: { readonly count: number; readonly onYaml: () => void }) => (
  <section>
    <h2>Examples</h2>
    <p className="quiet">
      {count === 0
        ? "None. A row that a trial got wrong can be taken in as one."
        : `${count} ${count === 1 ? "example goes" : "examples go"} before each row, as earlier turns.`}{" "}
      <button type="button" className="quiet-act" onClick={onYaml}>
        They stand in the YAML
      </button>
    </p>
  </section>
);
