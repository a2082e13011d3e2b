/** Natural logarithm of the gamma function (Lanczos 1964, with the nine coefficients of Godfrey), to about 1e-14. */
export function logGamma(x: number): number {
  if (x < 0.5) return Math.log(Math.PI / Math.abs(Math.sin(Math.PI * x))) - logGamma(1 - x);
  const at = x - 1;
  const sum = LANCZOS.reduce((total, coefficient, index) => total + (index === 0 ? coefficient : coefficient / (at + index)), 0);
  const t = at + 7.5;
  return 0.5 * Math.log(2 * Math.PI) + (at + 0.5) * Math.log(t) - t + Math.log(sum);
}

const LANCZOS = [
  0.99999999999980993, 676.5203681218851, -1259.1392167224028, 771.32342877765313, -176.61502916214059, 12.507343278686905,
  -0.13857109526572012, 9.9843695780195716e-6, 1.5056327351493116e-7,
];
const MOST_TERMS = 10_000;
const TINY = 1e-300;
const ENOUGH = 1e-16;

/** The regularised incomplete beta function I_x(a, b), by its continued fraction (Lentz 1976; DLMF 8.17.22). */
export function incompleteBeta(x: number, a: number, b: number): number {
  if (x <= 0) return 0;
  if (x >= 1) return 1;
  // Where it converges slowly its mirror image converges fast.
  if (x > (a + 1) / (a + b + 2)) return 1 - incompleteBeta(1 - x, b, a);
  const front = Math.exp(logGamma(a + b) - logGamma(a) - logGamma(b) + a * Math.log(x) + b * Math.log1p(-x)) / a;
  let c = 1;
  let d = 1 / nonZero(1 - ((a + b) * x) / (a + 1));
  let fraction = d;
  for (let m = 1; m < MOST_TERMS; m++) {
    const even = (m * (b - m) * x) / ((a + 2 * m - 1) * (a + 2 * m));
    d = 1 / nonZero(1 + even * d);
    c = nonZero(1 + even / c);
    fraction *= d * c;
    const odd = (-(a + m) * (a + b + m) * x) / ((a + 2 * m) * (a + 2 * m + 1));
    d = 1 / nonZero(1 + odd * d);
    c = nonZero(1 + odd / c);
    const step = d * c;
    fraction *= step;
    if (Math.abs(step - 1) < ENOUGH) break;
  }
  return front * fraction;
}

/**
 * The regularised upper incomplete gamma function Q(a, x): by its series below a + 1, by its continued fraction above (DLMF 8.11.4,
 * 8.9.2).
 */
export function upperGamma(a: number, x: number): number {
  if (x <= 0) return 1;
  const front = Math.exp(a * Math.log(x) - x - logGamma(a));
  if (x < a + 1) {
    let term = 1 / a;
    let sum = term;
    for (let n = 1; n < MOST_TERMS && Math.abs(term) > Math.abs(sum) * ENOUGH; n++) sum += term *= x / (a + n);
    return 1 - front * sum;
  }
  let b = x + 1 - a;
  let c = 1 / TINY;
  let d = 1 / b;
  let fraction = d;
  for (let n = 1; n < MOST_TERMS; n++) {
    const an = -n * (n - a);
    b += 2;
    d = 1 / nonZero(an * d + b);
    c = nonZero(b + an / c);
    const step = d * c;
    fraction *= step;
    if (Math.abs(step - 1) < ENOUGH) break;
  }
  return front * fraction;
}

const nonZero = (value: number): number => (Math.abs(value) < TINY ? TINY : value);

/** The probability of a standard normal value at least as far from 0 as `z`. */
export const normalTails = (z: number): number => (z === 0 ? 1 : upperGamma(0.5, (z * z) / 2));
