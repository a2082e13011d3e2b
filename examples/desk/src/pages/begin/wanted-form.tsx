import { X } from "lucide-react";
import { useReading } from "../../app/server.js";
import type { Named, Said, What } from "./wanted.js";

interface Props {
  readonly what: What;
  readonly said: Said;
  readonly onSaid: (next: Partial<Said>) => void;
}

/** What has to be said of what is to be filled. */
export function WantedForm({ what, said, onSaid }: Props) {
  switch (what) {
    case "topic":
      return <NamedList legend="Topics, and what each means" word="topic" all={said.topics} onAll={(topics) => onSaid({ topics })} />;
    case "facts":
      return <NamedList legend="Facts, and what each is" word="fact" all={said.facts} onAll={(facts) => onSaid({ facts })} />;
    case "score":
      return (
        <fieldset>
          <legend>What is scored</legend>
          <input
            aria-label="Question"
            className="wide"
            value={said.scoreQuestion}
            onChange={({ target }) => onSaid({ scoreQuestion: target.value })}
          />
          <ol className="points">
            {said.points.map((point, index) => (
              // Points have no name but their place.
              <li key={index}>
                <b>{index + 1}</b>
                <input
                  aria-label={`What ${index + 1} means`}
                  value={point}
                  onChange={({ target }) => onSaid({ points: said.points.map((one, at) => (at === index ? target.value : one)) })}
                />
                <Remove
                  told={`Take point ${index + 1} away`}
                  onRemove={() => onSaid({ points: said.points.filter((_, at) => at !== index) })}
                />
              </li>
            ))}
          </ol>
          <button
            type="button"
            className="act"
            disabled={said.points.length >= 10}
            onClick={() => onSaid({ points: [...said.points, ""] })}
          >
            One more point
          </button>
        </fieldset>
      );
    case "answer":
      return (
        <fieldset>
          <legend>Which question</legend>
          <input
            aria-label="Question"
            className="wide"
            value={said.question}
            onChange={({ target }) => onSaid({ question: target.value })}
          />
          <label className="meaning">
            yes means <input value={said.yes} onChange={({ target }) => onSaid({ yes: target.value })} />
          </label>
          <label className="meaning">
            no means <input value={said.no} onChange={({ target }) => onSaid({ no: target.value })} />
          </label>
        </fieldset>
      );
    case "words":
      return (
        <label className="block">
          What is to be found out about each row?
          <textarea
            rows={4}
            value={said.words}
            placeholder="What is it about, and how urgent is it?"
            onChange={({ target }) => onSaid({ words: target.value })}
          />
        </label>
      );
    case "template":
      return <TemplateChoice value={said.template} onValue={(template) => onSaid({ template })} />;
    default:
      return <p className="quiet">One plain sentence that somebody understands who knows nothing else of the row.</p>;
  }
}

interface ListProps {
  readonly legend: string;
  readonly word: string;
  readonly all: readonly Named[];
  readonly onAll: (all: readonly Named[]) => void;
}

function NamedList({ legend, word, all, onAll }: ListProps) {
  const set = (index: number, next: Partial<Named>): void => onAll(all.map((one, at) => (at === index ? { ...one, ...next } : one)));
  return (
    <fieldset>
      <legend>{legend}</legend>
      <ul className="named">
        {all.map(({ name, about }, index) => (
          // Names may be equal while they are written.
          <li key={index}>
            <input aria-label={`${word} ${index + 1}`} value={name} onChange={({ target }) => set(index, { name: target.value })} />
            <input
              aria-label={`what ${name || `${word} ${index + 1}`} means`}
              value={about}
              onChange={({ target }) => set(index, { about: target.value })}
            />
            <Remove told={`Take ${name || word} away`} onRemove={() => onAll(all.filter((_, at) => at !== index))} />
          </li>
        ))}
      </ul>
      <button type="button" className="act" onClick={() => onAll([...all, { name: "", about: "" }])}>
        One more {word}
      </button>
    </fieldset>
  );
}

const Remove = ({ told, onRemove }: { readonly told: string; readonly onRemove: () => void }) => (
  <button type="button" className="remove" aria-label={told} onClick={onRemove}>
    <X size={14} aria-hidden="true" />
  </button>
);

/** Templates of the project, and those that ship to begin with. */
function TemplateChoice({ value, onValue }: { readonly value: string; readonly onValue: (value: string) => void }) {
  const { data: files } = useReading("listFiles", {});
  const { data: starters } = useReading("listStarters", {});
  return (
    <label className="block">
      Which template?{" "}
      <select value={value} onChange={({ target }) => onValue(target.value)}>
        <option value="">…</option>
        <optgroup label="of this project">
          {files?.templates
            .filter(({ broken }) => !broken)
            .map(({ name, title }) => (
              <option key={name} value={name}>
                {title ? `${title} (${name})` : name}
              </option>
            ))}
        </optgroup>
        <optgroup label="to begin with">
          {starters?.starters.map(({ name, title }) => (
            <option key={name} value={`starter:${name}`}>
              {title}
            </option>
          ))}
        </optgroup>
      </select>
    </label>
  );
}
