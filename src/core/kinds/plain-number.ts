/** Reads `12`, `-3.5`, `1,200`, `1 200`, `4 kg`; `undefined` for anything that could be meant in two ways. */
export function plainNumber(text: string, unit?: string): number | undefined {
  let bare = text.trim().replace(/\u2212/g, "-");
  if (unit && bare.toLowerCase().endsWith(unit.toLowerCase())) bare = bare.slice(0, -unit.length).trim();
  if (/^[+-]?\d{1,3}([,\u00a0\u2009\u202f '’])\d{3}(?:\1\d{3})*(\.\d+)?$/.test(bare)) bare = bare.replaceAll(/[^\d.+-]/g, "");
  return /^[+-]?(\d+\.?\d*|\.\d+)(e[+-]?\d+)?$/i.test(bare) && Number.isFinite(Number(bare)) ? Number(bare) : undefined;
}
