import type { FrameQuality } from '@amber-knit/core/frames';
import { lengthText } from '@amber-knit/operations/quantity-text';

/** What can be drawn for each frame. */
export interface FrameMeasure {
  key: keyof FrameQuality;
  title: string;
  /** A value in words, with its unit. */
  text: (v: number) => string;
  /** Whether a large value is a bad one. */
  highIsBad: boolean;
}

const percent = (v: number): string => `${Math.round(100 * v)} %`;

export const FRAME_MEASURES: readonly FrameMeasure[] = [
  { key: 'residual', title: 'Distance from its neighbours', text: lengthText, highIsBad: true },
  { key: 'paint', title: 'Paint unlike its neighbours’', text: (v) => v.toFixed(3), highIsBad: true },
  { key: 'sharpness', title: 'Sharpness', text: (v) => `${percent(v)} of usual`, highIsBad: false },
  { key: 'valid', title: 'Measured pixels', text: percent, highIsBad: false },
  { key: 'motion', title: 'Movement since the frame before', text: lengthText, highIsBad: true },
  { key: 'drift', title: 'Moved to undo drift', text: lengthText, highIsBad: true },
];

/** Those measures that say something of any frame. */
export function knownMeasures(qualities: readonly (FrameQuality | undefined)[]): readonly FrameMeasure[] {
  return FRAME_MEASURES.filter((m) => qualities.some((q) => Number.isFinite(q?.[m.key])));
}

/** The frames from worst to best by a measure; those without a value come last. */
export function worstFirst(
  qualities: readonly (FrameQuality | undefined)[],
  { key, highIsBad }: FrameMeasure,
): number[] {
  const badness = (i: number): number => {
    const v = qualities[i]?.[key];
    return v === undefined || !Number.isFinite(v) ? -Infinity : highIsBad ? v : -v;
  };
  return qualities.map((_, i) => i).sort((a, b) => badness(b) - badness(a) || a - b);
}

/** Upper end of the axis: what the values reach, but for the few that would press all others flat. */
export function axisTop(values: readonly number[]): number {
  const known = values.filter(Number.isFinite).sort((a, b) => a - b);
  if (known.length === 0) return 1;
  const most = known[known.length - 1];
  const usual = known[Math.floor(0.9 * (known.length - 1))];
  return Math.min(most, 4 * usual) || 1;
}
