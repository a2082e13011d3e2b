import { useState } from "react";
import { Button, Label, ListBox, ListBoxItem, Popover, Select, SelectValue, TextArea, TextField } from "react-aria-components";
import { AnswerView } from "./answer-view.js";
import { PromptView } from "./prompt-view.js";
import { TEMPLATES } from "./templates.js";
import { useTryout } from "./use-tryout.js";

const NAMES = Object.keys(TEMPLATES);

export function App() {
  const [chosen, setChosen] = useState(NAMES[0]!);
  const [source, setSource] = useState(TEMPLATES[chosen]!);
  const tryout = useTryout(source);

  const choose = (name: string): void => {
    setChosen(name);
    setSource(TEMPLATES[name]!);
  };

  return (
    <div className="page">
      <header>
        <span className="mark" aria-hidden="true">
          よ
        </span>
        <h1>Tryout</h1>
        <p>
          Write a template, put one row in, see what goes out and what comes back. Nothing leaves this page: the offline stand-in answers.
        </p>
      </header>
      <main>
        <section className="write" aria-label="Template">
          <Select selectedKey={chosen} onSelectionChange={(key) => choose(String(key))} className="picker">
            <Label>Begin with</Label>
            <Button>
              <SelectValue />
              <span aria-hidden="true">⌄</span>
            </Button>
            <Popover className="popover">
              <ListBox>
                {NAMES.map((name) => (
                  <ListBoxItem key={name} id={name}>
                    {name}
                  </ListBoxItem>
                ))}
              </ListBox>
            </Popover>
          </Select>
          <TextField value={source} onChange={setSource} isInvalid={tryout.complaints.length > 0} className="source">
            <Label>Template</Label>
            <TextArea spellCheck={false} aria-describedby="complaints" />
          </TextField>
          <ul id="complaints" className="complaints" aria-live="polite">
            {tryout.complaints.map(({ place, message }) => (
              <li key={`${place.line}:${place.column}:${message}`}>
                <span className="place">line {place.line}</span> {message}
              </li>
            ))}
          </ul>
        </section>

        <section className="row" aria-label="One row">
          <h2>One row</h2>
          {Object.entries(tryout.template?.inputs ?? {}).map(([input, spec]) => (
            <TextField
              key={`${tryout.template!.name}.${input}`}
              value={tryout.values[input] ?? ""}
              onChange={(value) => tryout.setValue(input, value)}
              className="input"
            >
              <Label>
                {input}{" "}
                <span className="kind">
                  {spec.kind}
                  {spec.required === false ? ", may be blank" : ""}
                </span>
              </Label>
              <TextArea rows={spec.kind === "text" && (tryout.values[input] ?? "").length > 40 ? 4 : 1} />
            </TextField>
          ))}
          <Button className="ask" onPress={tryout.ask} isDisabled={!tryout.prepared || tryout.asking}>
            {tryout.asking ? "Asking…" : "Ask"}
          </Button>
          <AnswerView tryout={tryout} />
        </section>

        <section className="prompt" aria-label="Prompt">
          <h2>The exact prompt</h2>
          <PromptView messages={tryout.prompt} />
        </section>
      </main>
    </div>
  );
}
