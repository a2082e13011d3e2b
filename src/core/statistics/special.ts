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

/**
 * The natural logarithm of a binomial probability, by its saddle point (Loader 2000): as precise for a million trials as for ten.
 *
 * @param share the probability of each.
 */
export function binomialMass(found: number, trials: number, share: number): number {
  if (share <= 0) return found === 0 ? 0 : -Infinity;
  if (share >= 1) return found === trials ? 0 : -Infinity;
  if (found < 0 || found > trials) return -Infinity;
  if (trials === 0) return 0;
  if (found === 0) return trials * Math.log1p(-share);
  if (found === trials) return trials * Math.log(share);
  const left = trials - found;
  return (
    stirlingError(trials) -
    stirlingError(found) -
    stirlingError(left) -
    deviance(found, trials * share) -
    deviance(left, trials * (1 - share)) +
    0.5 * Math.log(trials / (2 * Math.PI * found * left))
  );
}

/** ln n! less Stirling's formula for it; by its series from 16 on. */
function stirlingError(n: number): number {
  if (n <= 15) return logGamma(n + 1) - (n + 0.5) * Math.log(n) + n - 0.5 * Math.log(2 * Math.PI);
  const square = n * n;
  return (1 / 12 - (1 / 360 - (1 / 1260 - (1 / 1680 - 1 / (1188 * square)) / square) / square) / square) / n;
}

/** x ln(x / m) + m - x, without cancelling where they are close. */
function deviance(x: number, m: number): number {
  if (Math.abs(x - m) >= 0.1 * (x + m)) return x * Math.log(x / m) + m - x;
  const v = (x - m) / (x + m);
  let sum = (x - m) * v;
  let term = 2 * x * v;
  for (let j = 1; j < MOST_TERMS; j++) {
    term *= v * v;
    const next = sum + term / (2 * j + 1);
    if (next === sum) return next;
    sum = next;
  }
  return sum;
}
