import { useNavigate } from "@tanstack/react-router";
import { useState, type FormEvent } from "react";
import type { CallReport } from "yoroshi/client";
import { queries, server, useReading } from "../../app/server.js";
import { Problem } from "../../parts/problem.js";
import { money } from "../../parts/words.js";

type Way = "starter" | "copy" | "draft";
type Draft = CallReport<"draftTemplate">;

/** A new template: from one that ships, from another of the project, or drafted by a model from a description. */
export function NewTemplate() {
  const navigate = useNavigate();
  const { data: files } = useReading("listFiles", {});
  const { data: starters } = useReading("listStarters", {});
  const { data: tables } = useReading("findTables", {});
  const [way, setWay] = useState<Way>("starter");
  const [from, setFrom] = useState("");
  const [name, setName] = useState("");
  const [description, setDescription] = useState("");
  const [draft, setDraft] = useState<Draft | undefined>();
  const [problem, setProblem] = useState<unknown>();
  const [isSending, setSending] = useState(false);
  const own = name || (way === "starter" ? from : "");
  const send = async (event: FormEvent): Promise<void> => {
    event.preventDefault();
    setProblem(undefined);
    setSending(true);
    try {
      if (way === "starter") await server.writeStarter({ starter: from, template: own });
      else if (way === "copy") await server.copyTemplate({ from, template: own });
      else {
        const made = await server.draftTemplate({ template: own, description, table: from, write: draft?.usable === true });
        setDraft(made);
        setSending(false);
        if (!made.written) return;
      }
      await queries.invalidateQueries();
      void navigate({ to: "/template/$template", params: { template: own } });
    } catch (error) {
      setProblem(error);
    }
    setSending(false);
  };
  return (
    <form className="new-template" onSubmit={(event) => void send(event)}>
      <fieldset>
        <legend>A new template</legend>
        {(["starter", "copy", "draft"] as const).map((one) => (
          <label key={one}>
            <input
              type="radio"
              name="way"
              checked={way === one}
              onChange={() => {
                setWay(one);
                setFrom("");
                setDraft(undefined);
              }}
            />{" "}
            {{ starter: "one to begin with", copy: "a copy", draft: "drafted from a description" }[one]}
          </label>
        ))}
      </fieldset>
      <label>
        {{ starter: "which", copy: "of which", draft: "for the rows of" }[way]}{" "}
        <select required value={from} onChange={({ target }) => setFrom(target.value)}>
          <option value="">…</option>
          {way === "starter"
            ? starters?.starters.map((one) => (
                <option key={one.name} value={one.name}>
                  {one.title}
                </option>
              ))
            : way === "copy"
              ? files?.templates.filter(({ broken }) => !broken).map((one) => <option key={one.name}>{one.name}</option>)
              : tables?.files.map(({ file }) => <option key={file}>{file}</option>)}
        </select>
      </label>
      {way === "draft" ? (
        <label className="whole">
          What is to be found out about each row?
          <textarea required rows={2} value={description} onChange={({ target }) => setDescription(target.value)} />
        </label>
      ) : null}
      <label>
        its name{" "}
        <input
          required
          pattern="[a-z0-9][a-z0-9\-]*"
          placeholder={way === "starter" ? from : "hazard-two"}
          value={own}
          onChange={({ target }) => setName(target.value)}
        />
      </label>
      <button type="submit" className="main-act" disabled={isSending || from === "" || own === ""}>
        {way === "draft" ? (draft?.usable ? "Write it" : "Have it drafted") : "Make it"}
      </button>
      <Problem error={problem} />
      {draft ? (
        <div className="draft">
          {draft.text ? (
            <pre>{draft.text}</pre>
          ) : (
            <p className="problem">{draft.reason ?? "The model's draft cannot be used."} Try other words.</p>
          )}
          {draft.complaints.map(({ message }) => (
            <p key={message} className="problem">
              {message}
            </p>
          ))}
          <small className="quiet">{draft.standin ? "drafted by the offline stand-in" : `${money(draft.spent, "")} spent`}</small>
        </div>
      ) : null}
    </form>
  );
}
