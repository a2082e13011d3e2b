import { openDesk, type Filed, type Values } from "./desk.js";

const QUIET_MS = 350;
const at = <T extends HTMLElement>(id: string): T => document.getElementById(id) as T;
const report = at<HTMLTextAreaElement>("report");
const [hazard, severity] = [at<HTMLSelectElement>("hazard"), at<HTMLSelectElement>("severity")];
const buttons = [at<HTMLButtonElement>("file"), at<HTMLButtonElement>("drop")];

const desk = await openDesk();
at("where").textContent = desk.about;
hazard.append(...["", ...desk.hazards].map((name) => new Option(name)));
severity.append(...["", 1, 2, 3, 4, 5].map((point) => new Option(String(point))));

let suggested: Values | undefined;
/** What the person chose otherwise; it is theirs, whatever is suggested later. */
const corrected = (): Partial<Values> =>
  Object.fromEntries([hazard, severity].filter((field) => field.dataset["by"] === "person").map(({ id, value }) => [id, value]));

for (const field of [hazard, severity]) field.addEventListener("change", () => (field.dataset["by"] = "person"));

let waiting: ReturnType<typeof setTimeout> | undefined;
report.addEventListener("input", () => {
  clearTimeout(waiting);
  waiting = setTimeout(() => void suggest(report.value), QUIET_MS);
});

// What was typed before the desk was open.
if (report.value !== "") void suggest(report.value);

async function suggest(text: string): Promise<void> {
  const values = text.trim() === "" ? undefined : await desk.suggest(text).catch(tellError);
  // What was typed meanwhile has its own.
  if (text !== report.value) return;
  suggested = values;
  for (const field of [hazard, severity]) if (field.dataset["by"] !== "person") field.value = suggested?.[field.id as "hazard"] ?? "";
  at("advice").textContent = suggested?.advice ?? "–";
  for (const button of buttons) button.disabled = text.trim() === "";
}

at("form").addEventListener("submit", (event) => {
  event.preventDefault();
  for (const button of buttons) button.disabled = true;
  void desk.file(report.value, corrected()).then((filed) => {
    show(filed);
    begin(`Filed as ${filed.at(-1)!.key}.`);
  }, tellError);
});
at("drop").addEventListener("click", () => begin("Dropped: nothing was filed."));

function begin(told: string): void {
  at("told").textContent = told;
  report.value = "";
  for (const field of [hazard, severity]) delete field.dataset["by"];
  void suggest("");
  report.focus();
}

function tellError(error: unknown): undefined {
  at("told").textContent = error instanceof Error ? error.message : String(error);
  for (const button of buttons) button.disabled = report.value.trim() === "";
}

function show(filed: readonly Filed[]): void {
  const rows = [...filed].reverse().map((row) => {
    const line = document.createElement("tr");
    for (const text of [row.key, row.report, row.hazard, row.severity]) line.insertCell().textContent = text ?? "";
    return line;
  });
  at("filed").replaceChildren(...rows);
}
