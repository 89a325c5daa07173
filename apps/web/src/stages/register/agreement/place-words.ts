import { screwOf } from '@amber-knit/core/math';
import type { DoubtView, PlaceView, PlacementAgreement } from '@amber-knit/contracts';
import { lengthText } from '@amber-knit/operations/quantity-text';

/** How a place differs from where the scans are now, in a few words. */
export function motionWords(pieceFromPiece: readonly number[]): string {
  const m = Float64Array.from(pieceFromPiece);
  const screw = screwOf(m);
  const shift = Math.abs(screw ? screw.shift : Math.hypot(m[12], m[13], m[14]));
  const turn = screw ? `turned by ${Math.round((screw.angle * 180) / Math.PI)}°` : '';
  if (!turn && shift < 0.05) return 'where it is now';
  if (shift < 1) return turn || `moved by ${lengthText(shift)}`;
  return turn ? `${turn}, moved by ${lengthText(shift)}` : `moved by ${lengthText(shift)}`;
}

/** The figures of a place with their units. */
export function agreementRows(a: PlacementAgreement): { name: string; value: string; help: string }[] {
  return [
    {
      name: 'Overlap',
      value: `${a.overlap.toFixed(1)}×`,
      help: 'On how many other scans each of its points lies, on average.',
    },
    {
      name: 'Contradicted',
      value: `${(100 * a.contradicted).toFixed(1)} %`,
      help: 'Points that stand where another scan saw nothing, or looked through.',
    },
    {
      name: 'Paint',
      value: a.paint.toFixed(2),
      help: 'Agreement of the fine contrast with the other scans: 1 is the same, about 0 says nothing.',
    },
    {
      name: 'Marks',
      value: a.marks > 0 ? `${Math.round(100 * a.marksAgree)} %` : 'none',
      help: 'Share of dots, scratches and patterns that find their like on the other scans.',
    },
  ];
}

/** Why scans are in doubt, and what helps. */
export function reasonWords({ reason, places }: DoubtView): string {
  switch (reason) {
    case 'loosely':
      return 'The surfaces it shares with the others leave it room to slide or turn (see how they hold together). A scan that shows it with its neighbours from another side, or dots beside it, holds it.';
    case 'seen-through':
      return 'Several other scans looked through where it stands. It may belong elsewhere, or to something else: place it by hand, or exclude it.';
    case 'on-doubtful':
      return 'It lies mostly on scans that are in doubt themselves. Decide those first.';
    case 'elsewhere':
      return verdictWords(places);
  }
}

/** Paint below this says nothing. */
const TELLING = 0.3;

/** What the figures of all places together say, in one or two sentences. */
export function verdictWords(places: readonly PlaceView[]): string {
  const paints = places.map((p) => p.agreement.paint);
  const most = Math.max(...paints);
  const best = paints.indexOf(most);
  if (most < TELLING) {
    return 'Shape and free space fit alike, and the surface is too even for its paint to tell. If the places are truly alike, as the spokes of a wheel, any of them gives the same shape.';
  }
  const next = Math.max(...paints.filter((_, i) => i !== best));
  if (most - next < 0.08)
    return 'Shape and paint fit alike in several places. Compare the pictures for a mark that tells.';
  return `The paint fits best ${best === 0 ? 'where it is now' : `in place ${best}`}, but not surely. Compare the pictures.`;
}
