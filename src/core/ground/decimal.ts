/** A number's decimal digits as a whole number and how many of them stand behind the point. */
function digitsOf(value: number): { readonly whole: bigint; readonly places: number } {
  const [mantissa = "0", exponent = "0"] = String(value).toLowerCase().split("e");
  const [before = "0", behind = ""] = mantissa.split(".");
  const places = behind.length - Number(exponent);
  const whole = BigInt(before + behind);
  return places >= 0 ? { whole, places } : { whole: whole * 10n ** BigInt(-places), places: 0 };
}

/**
 * The product of two numbers as they are written, exact in decimals, then rounded half away from zero. In binary,
 * 1.005 times 100 is 100.49999999999999.
 */
export function timesRounded(a: number, b: number, decimals: number): number {
  const [x, y] = [digitsOf(a), digitsOf(b)];
  const product = x.whole * y.whole;
  const extra = x.places + y.places - decimals;
  if (extra <= 0) return Number(`${product}e-${x.places + y.places}`) + 0;
  const unit = 10n ** BigInt(extra);
  const size = product < 0n ? -product : product;
  const rounded = (size + unit / 2n) / unit;
  if (rounded === 0n) return 0;
  return Number(`${product < 0n ? "-" : ""}${rounded}e-${decimals}`);
}
