/** Paper, ink and margin: ink is what a model wrote, black what people do. */
export const STYLE = `:root {
  color-scheme: light dark;
  --paper: #f4f0e4; --leaf: #fbf8ef; --print: #211f1a; --quiet: #5f5a4c;
  --rule: #d9d0ba; --edge: #857c66; --ink: #0b5a5e; --wash: #e0e9df;
  --serif: "Iowan Old Style", "Palatino Linotype", Palatino, "Liberation Serif", Georgia, serif;
  --sans: -apple-system, "Segoe UI", Roboto, "Liberation Sans", system-ui, sans-serif;
  --mono: ui-monospace, "Cascadia Mono", Menlo, "DejaVu Sans Mono", monospace;
}
@media (prefers-color-scheme: dark) {
  :root { --paper: #181610; --leaf: #211f17; --print: #ece6d6; --quiet: #aca48f; --rule: #3b372b; --edge: #8b8370; --ink: #84cdc4; --wash: #20342f; }
}
* { box-sizing: border-box; }
body { margin: 0; padding: 0 24px 64px; background: var(--paper); color: var(--print); font: 15px/1.4 var(--serif); }
h1, h2, h3, p, ul, dl, dd, table { margin: 0; padding: 0; }
header { display: flex; gap: 14px; align-items: baseline; padding: 14px 0 9px; border-bottom: 3px solid var(--print); margin-bottom: 22px; }
h1 { font-size: 22px; line-height: 1.1; }
h2 { font-size: 17px; padding: 26px 0 5px; border-bottom: 1px solid var(--print); margin-bottom: 4px; }
header p, .quiet { color: var(--quiet); }
a { color: inherit; text-decoration-thickness: 1px; text-underline-offset: 3px; }
a:focus-visible, button:focus-visible, summary:focus-visible, :is(input, select, textarea):focus-visible { outline: 2px solid var(--print); outline-offset: 2px; }
small, .fig, th, code, button, label b, summary { font-family: var(--sans); font-variant-numeric: tabular-nums; }
small, th { font-size: 12px; color: var(--quiet); font-weight: 400; text-align: left; }
code, pre { font: 13px/1.5 var(--mono); }
pre { margin: 6px 0 10px; padding: 10px 14px; background: var(--leaf); overflow-x: auto; white-space: pre-wrap; overflow-wrap: anywhere; }
.ink { color: var(--ink); }
.two { display: grid; grid-template-columns: minmax(0, 1fr) minmax(0, 1fr); gap: 0 44px; max-width: 1180px; }
@media (max-width: 800px) { .two { grid-template-columns: 1fr; } }
ul { list-style: none; }
ul.lines > li { display: flex; gap: 12px; align-items: baseline; min-height: 29px; border-bottom: 1px solid var(--rule); padding: 4px 0; }
ul.lines small { margin-left: auto; white-space: nowrap; }
details { border-bottom: 1px solid var(--rule); }
summary { display: grid; grid-template-columns: 62px minmax(280px, 420px) 1fr; gap: 12px; align-items: baseline; min-height: 30px; padding: 5px 0; font-size: 13px; cursor: pointer; list-style: none; }
summary::-webkit-details-marker { display: none; }
summary b { font-weight: 700; }
summary code { overflow-wrap: anywhere; }
summary span { font: 15px/1.35 var(--serif); color: var(--quiet); }
details[open] { background: var(--leaf); border-bottom: 1px solid var(--print); }
details > div { padding: 2px 14px 14px 74px; }
table { border-collapse: collapse; width: 100%; }
td, th { padding: 3px 14px 3px 0; border-bottom: 1px solid var(--rule); vertical-align: top; }
td:first-child { white-space: nowrap; }
form { max-width: 640px; }
label { display: block; margin: 0 0 16px; }
label b { display: block; font-size: 13px; }
label small { display: block; }
input, select, textarea { width: 100%; margin-top: 4px; padding: 7px 10px; border: 0; border-bottom: 2px solid var(--print); background: var(--leaf); color: var(--print); font: 15px/1.4 var(--serif); border-radius: 0; }
textarea { min-height: 110px; resize: vertical; }
button { padding: 9px 16px; border: 0; background: var(--print); color: var(--paper); font-size: 13px; font-weight: 700; cursor: pointer; border-radius: 0; }
.answer dt { font: 12px/1.3 var(--sans); color: var(--quiet); margin-top: 10px; }
.answer dd { color: var(--ink); font-size: 17px; white-space: pre-wrap; overflow-wrap: anywhere; }
.failed { font-style: italic; }
`;
