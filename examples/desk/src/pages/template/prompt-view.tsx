import { Fragment, useState } from "react";
import type { CallReport } from "yoroshi/client";
import { money, plural } from "../../parts/words.js";

type Prompt = CallReport<"showPrompt">;

const LONG = 640;
const DATA = /(<data-[a-z]+ name="[^"]*">)([\s\S]*?)(<\/data-[a-z]+>)/g;

/** The exact prompt, turn by turn; what comes from the row is set off. */
export function PromptView({ prompt, currency, isOld }: { readonly prompt: Prompt; readonly currency: string; readonly isOld: boolean }) {
  if (prompt.state === "declined") return <p className="problem">Nothing is asked: {prompt.reason}.</p>;
  const examples = prompt.prompt.slice(1, -1);
  const [system, last] = [prompt.prompt[0], prompt.prompt.at(-1)];
  return (
    <div className={isOld ? "sent old" : "sent"}>
      <dl>
        {system && system !== last ? <Turn name={system.role} text={system.content} /> : null}
        {examples.length > 0 ? <Folded name={plural(examples.length / 2, "example")} turns={examples} /> : null}
        {last ? <Turn name={last.role} text={last.content} /> : null}
      </dl>
      <p className="fig">
        {prompt.tokensIn} tokens in, about {prompt.tokensOut} out
        {prompt.cost === null
          ? `; ${prompt.model} has no price`
          : `; about ${prompt.cost.toFixed(6)}, at most ${money(prompt.dearest ?? 0, currency)}`}
        ; {prompt.model}
        {prompt.standin ? ", the offline stand-in" : ""}
      </p>
      {[...prompt.inputNotes, ...Object.values(prompt.shortened)].map((note) => (
        <p key={note} className="problem">
          {note}
        </p>
      ))}
    </div>
  );
}

function Turn({ name, text }: { readonly name: string; readonly text: string }) {
  const [isWhole, setWhole] = useState(false);
  const shown = isWhole || text.length <= LONG ? text : text.slice(0, LONG);
  return (
    <>
      <dt>{name}</dt>
      <dd>
        <WithData text={shown} />
        {shown.length < text.length ? (
          <>
            …{" "}
            <button type="button" className="quiet-act" onClick={() => setWhole(true)}>
              {plural(text.split("\n").length - shown.split("\n").length, "line")} more, {text.length - shown.length} characters
            </button>
          </>
        ) : null}
      </dd>
    </>
  );
}

function Folded({
  name,
  turns,
}: {
  readonly name: string;
  readonly turns: readonly { readonly role: string; readonly content: string }[];
}) {
  const [isOpen, setOpen] = useState(false);
  return (
    <>
      <dt>{name}</dt>
      <dd>
        <button type="button" className="quiet-act" aria-expanded={isOpen} onClick={() => setOpen(!isOpen)}>
          {plural(turns.length, "message")}, {turns.reduce((sum, { content }) => sum + content.length, 0)} characters
        </button>
        {isOpen
          ? turns.map(({ role, content }, index) => (
              // Turns may say the same.
              <p key={index}>
                <i className="quiet">{role}</i> <WithData text={content} />
              </p>
            ))
          : null}
      </dd>
    </>
  );
}

/** A text with what stands between the fences set off. */
function WithData({ text }: { readonly text: string }) {
  const pieces: { readonly text: string; readonly isPut: boolean }[] = [];
  let at = 0;
  for (const found of text.matchAll(DATA)) {
    pieces.push({ text: text.slice(at, found.index), isPut: false }, { text: found[0], isPut: true });
    at = found.index + found[0].length;
  }
  pieces.push({ text: text.slice(at), isPut: false });
  return pieces.map((piece, index) => (
    // Pieces have no name but their place.
    <Fragment key={index}>{piece.isPut ? <span className="put">{piece.text}</span> : piece.text}</Fragment>
  ));
}
