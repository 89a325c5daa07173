import type { NextView, NextViews } from '@amber-knit/core/next-views';

/** From which side of the piece a place looks at it, its front being towards −Y. */
export function sideWords({ eye, target }: Pick<NextView, 'eye' | 'target'>): string {
  const d = eye.map((v, k) => v - target[k]);
  const elevation = (Math.atan2(d[2], Math.hypot(d[0], d[1])) * 180) / Math.PI;
  const sides = [
    'the right',
    'the back right',
    'the back',
    'the back left',
    'the left',
    'the front left',
    'the front',
    'the front right',
  ];
  const side = sides[Math.round((Math.atan2(d[1], d[0]) / Math.PI) * 4 + 8) % 8];
  if (elevation > 70) return 'Straight from above';
  if (elevation < -70) return 'Straight from below';
  const height =
    elevation > 20 ? `${Math.round(elevation)}° above` : elevation < -20 ? `${Math.round(-elevation)}° below` : 'level';
  return `From ${side}, ${height}`;
}

/** Whether it can be reached as the piece lay in a setup, or must be laid down anew. */
export function setupWords({ setup }: Pick<NextView, 'setup'>): string {
  return setup ? `as it lay in ${setup}` : 'lay it down anew, this side up';
}

/** An area in a unit of its size. */
const areaWords = (mm2: number): string => (mm2 >= 100 ? `${(mm2 / 100).toFixed(1)} cm²` : `${Math.round(mm2)} mm²`);

/** What a place would show. */
export function gainWords({ gain, thinGain }: Pick<NextView, 'gain' | 'thinGain'>): string {
  if (thinGain === 0) return areaWords(gain);
  return gain === 0 ? `${areaWords(thinGain)} thin` : `${areaWords(gain)}, ${areaWords(thinGain)} thin`;
}

/** How much is left to scan. */
export function foundWords({ unseen, thin }: Pick<NextViews, 'unseen' | 'thin'>): string {
  const parts = [
    ...(unseen > 0 ? [`${areaWords(unseen)} are unseen`] : []),
    ...(thin > 0 ? [`${areaWords(thin)} measured with less than a quarter of the usual points`] : []),
  ];
  return `About ${parts.join(' and ')}, and can be reached.`;
}
