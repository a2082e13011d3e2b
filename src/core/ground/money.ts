/**
 * Money is kept in integer millionths of the currency's unit. A price is per million tokens,
 * so tokens x price is already in millionths.
 */
export type Micros = number;

export function toMicros(amount: number): Micros {
  return Math.round(amount * 1_000_000);
}

/** `1234567` -> `1.2346`; two decimals from ten units up, four below, six below a hundredth. */
export function formatMoney(micros: Micros, currency: string): string {
  const units = micros / 1_000_000;
  return `${units.toFixed(Math.abs(units) >= 10 ? 2 : Math.abs(units) >= 0.01 || units === 0 ? 4 : 6)} ${currency}`;
}
