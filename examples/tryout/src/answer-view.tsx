import { sentenceOf, type Answer, type Json } from "yoroshi";
import type { Tryout } from "./use-tryout.js";

const WORDS: Readonly<Record<Answer["state"], string>> = {
  answered: "answered",
  declined: "not asked",
  refused: "refused",
  filtered: "held back",
  cutShort: "cut short",
  malformed: "does not fit",
  failed: "failed",
};

/** The typed answer, the raw reply below it, and what it took. */
export function AnswerView({ tryout: { tried, prepared } }: { readonly tryout: Tryout }) {
  if (!tried) return <p className="quiet">No answer yet.</p>;
  const { answer, notAsked } = tried;
  if (!answer)
    return (
      <p className="state bad" role="status">
        Not asked: {notAsked}.
      </p>
    );
  return (
    <div className="answer" role="status">
      <p className={`state ${answer.state === "answered" ? "good" : "bad"}`}>
        {WORDS[answer.state]}
        {answer.reason ? `: ${sentenceOf(answer.reason)}` : ""}
      </p>
      {answer.state === "answered" && (
        <table>
          <thead>
            <tr>
              <th>part</th>
              <th>kind</th>
              <th>value</th>
            </tr>
          </thead>
          <tbody>
            {prepared?.parts.map((part) => (
              <tr key={part.name}>
                <th scope="row">{part.name}</th>
                <td className="kind">{part.spec.kind}</td>
                <td data-part={part.name}>{shown((answer.parts as Record<string, Json>)[part.name])}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <details>
        <summary>Raw reply</summary>
        <pre>{answer.raw}</pre>
      </details>
      <p className="cost">
        {answer.usage.tokensIn} tokens in, {answer.usage.tokensOut} out · {(answer.spent / 1e6).toFixed(6)} USD at 0.15 and 0.60 a million
      </p>
    </div>
  );
}

function shown(value: Json | undefined) {
  if (typeof value === "boolean") return value ? "yes" : "no";
  if (Array.isArray(value))
    return (
      <ul>
        {value.map((item, index) => (
          <li key={index}>{String(item)}</li>
        ))}
      </ul>
    );
  return String(value ?? "");
}
