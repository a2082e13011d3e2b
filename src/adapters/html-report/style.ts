/** The report's looks: paper and ink by day, slate at night, black on white in print. No file and no network is needed. */
export const STYLE = `
:root { color-scheme: light dark; --paper: #fbf9f4; --sheet: #ffffff; --ink: #1d2733; --quiet: #5a6471; --line: #ddd6c8; --accent: #1f5f8b; --good: #1d6b3a; --warn: #a4321f; --soft: #f1ecdf; }
@media (prefers-color-scheme: dark) { :root { --paper: #12171d; --sheet: #1a2129; --ink: #e8e4da; --quiet: #a5adb6; --line: #333d48; --accent: #7fb8e0; --good: #7fcf9b; --warn: #f0917d; --soft: #222b35; } }
* { box-sizing: border-box; }
body { margin: 0; background: var(--paper); color: var(--ink); font: 16px/1.5 "Iowan Old Style", "Palatino Linotype", Georgia, serif; }
main { max-width: 1060px; margin: 0 auto; padding: 2rem 1.5rem 4rem; }
h1 { font-size: 1.7rem; line-height: 1.2; margin: 0 0 .2rem; }
h2 { font-size: 1.2rem; margin: 2.2rem 0 .6rem; padding-top: .8rem; border-top: 1px solid var(--line); }
h3 { font-size: 1rem; margin: 1.2rem 0 .3rem; }
p { margin: .3rem 0 .7rem; max-width: 46rem; }
.quiet { color: var(--quiet); } mark { background: none; color: inherit; text-decoration: underline 2px var(--accent); text-underline-offset: 3px; }
.verdict { background: var(--sheet); border: 1px solid var(--line); border-left: 6px solid var(--accent); padding: .8rem 1.1rem; margin: 1rem 0; border-radius: 3px; max-width: none; }
.verdict p { margin: .25rem 0; max-width: none; } .verdict h3 { margin: .7rem 0 .1rem; } hr { border: 0; border-top: 1px solid var(--line); margin: .8rem 0; }
.better { color: var(--good); font-weight: 700; } .worse, .differs { color: var(--warn); font-weight: 700; }
table { border-collapse: collapse; font: 14px/1.4 system-ui, sans-serif; margin: .4rem 0 1rem; background: var(--sheet); }
th, td { text-align: left; padding: .35rem .7rem; border-bottom: 1px solid var(--line); vertical-align: top; }
th { font-weight: 600; color: var(--quiet); background: var(--soft); }
td.n, th.n { text-align: right; font-variant-numeric: tabular-nums; white-space: nowrap; }
#disagreements td:nth-child(-n+2) { white-space: nowrap; } #disagreements td:nth-child(3), #disagreements td:nth-child(4) { min-width: 10rem; }
.wide { overflow-x: auto; }
figure { margin: .4rem 0 1rem; } figcaption { color: var(--quiet); font-size: .9rem; }
.pair { display: flex; flex-wrap: wrap; gap: 1.5rem; align-items: flex-start; }
svg { max-width: 100%; height: auto; color: var(--ink); font-family: system-ui, sans-serif; }
label { font: 14px system-ui, sans-serif; margin-right: .8rem; }
input, select { font: 14px system-ui, sans-serif; padding: .35rem .5rem; border: 1px solid var(--quiet); border-radius: 3px; background: var(--sheet); color: var(--ink); }
:focus-visible { outline: 3px solid var(--accent); outline-offset: 1px; }
@media print { :root { --paper: #fff; --sheet: #fff; --ink: #000; --quiet: #444; --line: #bbb; --soft: #f4f4f4; } main { max-width: none; padding: 0; } .filter { display: none; } h2 { break-after: avoid; } figure, tr { break-inside: avoid; } }
`;

/** Filters the disagreements as somebody types; the table is whole without it. */
export const SCRIPT = `
const rows = [...document.querySelectorAll("#disagreements tbody tr")];
const words = document.getElementById("words"), part = document.getElementById("part"), count = document.getElementById("count");
const filter = () => {
  const wanted = words.value.toLowerCase().split(/\\s+/).filter(Boolean);
  let shown = 0;
  for (const row of rows) {
    const text = row.textContent.toLowerCase();
    const fits = (!part.value || row.dataset.part === part.value) && wanted.every((word) => text.includes(word));
    row.hidden = !fits;
    if (fits) shown++;
  }
  count.textContent = shown + " of " + rows.length + " rows";
};
if (words) { words.addEventListener("input", filter); part.addEventListener("change", filter); filter(); }
`;
