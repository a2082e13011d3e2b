import { described } from "./described.js";
import type { AskedPart, ReadRequest } from "./read-request.js";
import { gladness, gravity, isIdle, settledIn } from "./tone.js";
import type { WordSense } from "./word-sense.js";
import { isAlarmWord, stems, type Term } from "./words.js";

/** A point's tone, as its description sounds. */
interface PointTone {
  readonly point: number;
  readonly about: string;
  readonly glad: number;
  readonly grave: number;
}

/**
 * Where a text stands on a scale. What the scale is about is read from its points: whether they go from sad to glad, or from harmless to
 * grave; then the text's own tone is placed between theirs, and points whose words it speaks draw it towards them.
 */
export function score(part: AskedPart, request: ReadRequest, words: readonly Term[]): number {
  const { data: text, sense } = request;
  const from = part.from ?? 1;
  const to = part.to ?? 5;
  const step = part.step ?? 1;
  const onScale = (value: number): number =>
    Math.max(from, Math.min(to, Number((from + Math.round((value - from) / step) * step).toFixed(6))));
  const points = part.scale.map(({ point, about }): PointTone => ({
    point,
    about,
    glad: gladness(about, sense),
    grave: pointGravity(about, sense),
  }));
  const [low, high] = [points[0], points.at(-1)];
  const gladSpan = low && high ? high.glad - low.glad : 0;
  const graveSpan = low && high ? high.grave - low.grave : 0;
  const asksOfHarm = /sever|urgen|risk|bad|danger|harm|serious|grav/i.test(part.about);
  // A scale that rises from nothing to harm falls in gladness, too, and yet is about harm.
  const isOfGladness = !asksOfHarm && Math.abs(gladSpan) > 0.5 && graveSpan <= 0.3;
  const ends = low && high && points.length > 1;
  let placed: number;
  if (ends && isOfGladness) {
    const glad = gladness(text, sense);
    const share = (glad * 0.9 + 1) / 2;
    placed = gladSpan > 0 ? from + share * (to - from) : to - share * (to - from);
  } else {
    const alarming =
      part.scale.length === 0 ||
      asksOfHarm ||
      Math.abs(graveSpan) > 0.1 ||
      part.scale.some(({ about }) => [...stems(about)].some(isAlarmWord));
    // Whoever writes at length without a grave word still writes about something.
    let level = Math.max(1.15 * gravity(text, sense), isIdle(text) ? 0 : Math.min(0.35, 0.04 * words.length) * (1 - settledIn(text)));
    if (!alarming || graveSpan < -0.1) level = 1 - level;
    placed = from + Math.min(1, level) * (to - from);
  }
  if (points.length < 2) return onScale(placed);
  const shares = points.map(({ point, about }) => ({ point, share: described(about, text, words, request) }));
  const best = Math.max(...shares.map(({ share }) => share));
  // A mere question, or thanks, is what a point that says so is for.
  const idle = isIdle(text)
    ? points.find(({ about }) => /\bquestion\b/i.test(about))
    : settledIn(text) >= 0.5
      ? points.find(({ about }) => DONE_POINT.test(about))
      : undefined;
  if (idle) return onScale(idle.point * 0.85 + placed * 0.15);
  if (best <= 0.12) return onScale(placed);
  // Points that the text speaks of draw it towards them, the likelier ones more.
  const weights = shares.map(({ point, share }) => ({ point, weight: share ** 2 * Math.exp(-0.25 * Math.abs(point - placed)) }));
  const total = weights.reduce((sum, { weight }) => sum + weight, 0);
  const spoken = weights.reduce((sum, { point, weight }) => sum + (point * weight) / total, 0);
  const pull = Math.min(0.85, best * 0.7 + Math.max(0, best - 0.5) * 0.8);
  return onScale(placed * (1 - pull) + spoken * pull);
}

const DONE_POINT = /\b(thanks|thank|settled|mended|over|resolved|done already)\b/i;

/** Descriptions tell gravity by what they name first; what stands behind a colon are cases of it. */
const pointGravity = (about: string, sense: WordSense | undefined): number =>
  /\bnothing\b|\bno care\b|\bnot? needed\b|\bcan wait\b|\broutine\b|\bsmall\b/i.test(about.split(":")[0]!) ? 0 : gravity(about, sense);
