import type { FoundPlacing, PlacingState } from '@amber-knit/core/placing';
import { lengthText, measuredText, volumeText } from '@amber-knit/operations/quantity-text';

export const STATE_WORDS: Record<PlacingState, string> = {
  clear: 'Clear',
  touching: 'Touching',
  clash: 'Clash',
  unseen: 'In unseen space',
};

/** What was found of a placing, shortly. */
export function foundText({ state, clearance, clash }: FoundPlacing): string {
  if (state === 'clash' && clash) return `${lengthText(clash.depth)} deep`;
  if (state === 'clear') return lengthText(clearance.distance);
  return STATE_WORDS[state].toLowerCase();
}

/** All that was found of a placing, line by line. */
export function foundLines({ state, clearance, clash }: FoundPlacing): [string, string][] {
  if (state === 'clash' && clash)
    return [
      [
        'Depth',
        `${lengthText(clash.depth)}${clash.within > 0.02 ? `, at most ${lengthText(clash.depth + clash.within)}` : ''}`,
      ],
      ...(clash.volume === undefined ? [] : ([['In the same place', volumeText(clash.volume)]] as [string, string][])),
    ];
  return [
    ['Clearance', measuredText({ kind: 'length', value: clearance.distance, uncertainty: clearance.uncertainty })],
  ];
}

/** What to be careful about; none where all is well. */
export function placingCautions({ state, clearance }: FoundPlacing): string[] {
  return [
    ...(state === 'unseen'
      ? ['Lies behind a surface that was scanned from its front alone: nobody knows what is there.']
      : []),
    ...(state === 'clear' && clearance.invented ? ['Nearest where no scan measured one of the two.'] : []),
  ];
}
