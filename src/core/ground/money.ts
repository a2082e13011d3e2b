/**
 * Money is kept in integer millionths of the currency's unit. A price is per million tokens,
 * so tokens x price is already in millionths.
 */
export type Micros = number;

/**
 * An amount in units of the currency as millionths, rounded to the nearest.
 *
 * @example
 * ```ts
 * import { toMicros } from "yoroshi";
 *
 * toMicros(0.15); // => 150000
 * ```
 */
export function toMicros(amount: number): Micros {
  return Math.round(amount * 1_000_000);
}

/**
 * `1234567` -> `1.2346`; two decimals from ten units up, four below, six below a hundredth.
 *
 * @example
 * ```ts
 * import { formatMoney } from "yoroshi";
 *
 * formatMoney(1_500_000, "USD"); // => "1.5000 USD"
 * ```
 */
export function formatMoney(micros: Micros, currency: string): string {
  const units = micros / 1_000_000;
  return `${units.toFixed(Math.abs(units) >= 10 ? 2 : Math.abs(units) >= 0.01 || units === 0 ? 4 : 6)} ${currency}`;
}
