import { Link, useParams } from "@tanstack/react-router";
import { useState } from "react";
import { useReading } from "../../app/server.js";
import { Shell } from "../../app/shell.js";
import { Reading } from "../../parts/problem.js";
import { Editor } from "../../parts/source/editor.js";
import { Remarks, remarksOf } from "../../parts/source/remarks.js";
import { useSaveKey } from "../../parts/source/use-save-key.js";
import { useSource, type Json } from "../../parts/source/use-source.js";
import { NewName } from "../template/facet-field.js";
import { Order } from "./order.js";
import { Rules } from "./rules.js";
import { Settings } from "./settings.js";
import { StepForm } from "./step-form.js";
import "./plan.css";

type Map = Readonly<Record<string, Json>>;

/** Which template fills which columns from which, when, and within which limits; the YAML beside it as its mirror. */
export function PlanPage() {
  const { plan } = useParams({ from: "/plan/$plan" });
  const source = useSource("plan", plan);
  const { data: files } = useReading("listFiles", {});
  const { data: page } = useReading("readRows", { plan, from: 0, limit: 1 }, { keep: true });
  const { data: shown } = useReading("showPlan", { plan }, { keep: true });
  const [isYaml, setYaml] = useState(true);
  const { isDirty, save, form } = source;
  useSaveKey(source);
  const steps = Object.entries((form?.["steps"] ?? {}) as Map);
  const setSteps = (next: readonly (readonly [string, Json])[]): void => source.setAt(["steps"], Object.fromEntries(next));
  const templates = (files?.templates ?? []).map(({ name }) => name);
  const columns = page?.columns ?? [];
  return (
    <Shell
      title={plan}
      about={typeof form?.["title"] === "string" ? form["title"] : "a plan"}
      plan={plan}
      flows
      acts={
        <>
          <button type="button" className="act" aria-pressed={isYaml} onClick={() => setYaml(!isYaml)}>
            Its YAML
          </button>
          <button type="button" className="act" disabled={!isDirty} onClick={() => void save()}>
            Save <b>Ctrl S</b>
          </button>
          {isDirty && source.complaints.length > 0 ? (
            <button type="button" className="act" onClick={() => void save(true)}>
              Save with its mistakes
            </button>
          ) : null}
          <Link to="/table/$plan" params={{ plan }} className="act">
            To the table
          </Link>
        </>
      }
    >
      <div className={isYaml ? "plan-page both" : "plan-page"}>
        <div className="plan-form">
          <Remarks source={source} />
          {shown ? <Order steps={shown.steps} table={shown.table} /> : null}
          {form ? (
            <>
              <label className="facet">
                title
                <input
                  value={String(form["title"] ?? "")}
                  onChange={({ target }) => source.setAt(["title"], target.value === "" ? undefined : target.value)}
                />
              </label>
              <section className="specs">
                <h2>Steps</h2>
                <ul>
                  {steps.map(([name, step], index) => (
                    <li key={name}>
                      <StepForm
                        source={source}
                        name={name}
                        step={(step ?? {}) as Map}
                        plan={plan}
                        templates={templates}
                        columns={columns}
                        onUp={index === 0 ? undefined : () => setSteps(moved(steps, index, -1))}
                        onDown={index === steps.length - 1 ? undefined : () => setSteps(moved(steps, index, 1))}
                        onRemove={() => setSteps(steps.filter((_, at) => at !== index))}
                      />
                    </li>
                  ))}
                </ul>
                <NewName
                  word="step"
                  taken={steps.map(([name]) => name)}
                  onName={(name) => setSteps([...steps, [name, { template: templates[0] ?? "", inputs: {}, fill: {} }]])}
                />
              </section>
              <Rules afterwards={form["afterwards"]} />
              <Settings source={source} form={form} plan={plan} columns={columns} steps={steps.map(([name]) => name)} />
            </>
          ) : source.problem ? null : (
            <Reading what="the plan" />
          )}
        </div>
        {isYaml ? (
          <section className="yaml-side" aria-label="YAML">
            <h2>{source.file}</h2>
            <Editor
              label={`${source.file}, YAML`}
              as="yaml"
              text={source.text}
              onText={source.setText}
              onSave={() => void save()}
              remarks={remarksOf(source)}
            />
          </section>
        ) : null}
      </div>
    </Shell>
  );
}

function moved<T>(list: readonly T[], at: number, by: number): T[] {
  const next = [...list];
  const [one] = next.splice(at, 1);
  next.splice(at + by, 0, one!);
  return next;
}
