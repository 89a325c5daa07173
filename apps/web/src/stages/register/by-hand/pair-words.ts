import type { PairWarning } from '@amber-knit/core/registration';

/** What a warning means, and what to do about it. */
export function warningText(w: PairWarning): string {
  switch (w.kind) {
    case 'few':
      return w.missing === 1 ? 'One more pair is needed.' : `${w.missing} more pairs are needed.`;
    case 'line':
      return 'The places lie nearly in line: the scan could still turn about that line. Pick one well beside it.';
    case 'plane':
      return 'The places lie nearly in one plane. One off that plane, a rim or a handle, makes it safer.';
    case 'close':
      return `The places lie within ${w.spread.toFixed(0)} mm: small errors turn the scan far. Spread them out.`;
    case 'pair':
      return `Pair ${w.index + 1} disagrees with the others by ${w.error.toFixed(1)} mm. Remove it, or pick it again.`;
    case 'scale':
      return `Distances differ by a factor of ${w.factor.toFixed(w.factor < 0.1 ? 4 : 2)}: the pairs are mixed up, or one scan has another unit.`;
  }
}
