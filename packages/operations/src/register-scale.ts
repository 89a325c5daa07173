import { hasPlace, loosePlacement, placeAlone, pointCount, type Placement, type Scan } from '@amber-knit/core/geometry';
import { identity, type Mat4 } from '@amber-knit/core/math';
import { GeometryError, type RunContext } from '@amber-knit/core/runtime';
import { scanNamed } from './each-scan.js';
import { OPERATION_IDS } from './operation-ids.js';
import type { FigureValues } from './figures.js';
import { defineOperation, type OperationResult } from './operation.js';
import { ScansParam } from './params.js';
import { finishByHand } from './place-by-hand.js';
import { numberText, shareText } from './quantity-text.js';
import { noteDoubts, REGISTRATION_FIGURES, registrationFigures, summarizeRegistration } from './register-automatic.js';
import { rescaledScan } from './rescaled-scan.js';

export class RegisterScaleParams {
  @ScansParam({
    title: 'Scans without scale',
    help: 'Scans whose size is not known, such as models made from pictures. Each gets the size at which it fits the scans that have their place.',
    whenEmpty: 'choose some',
  })
  scans: string[] = [];
}

/** Less of what speaks for a size than this may be contradicted. */
const LEAST_QUALITY = 0.4;
/** From this share on another size is as likely. */
const AS_LIKELY = 0.8;

/** Gives scans without true scale their size and their place. */
export const registerScale = defineOperation({
  id: OPERATION_IDS.registerScale,
  version: 1,
  stage: 'register',
  title: 'Find the scale',
  help: 'For scans without true scale, such as models made from pictures: finds the size at which each fits the scans that have theirs, makes it that large and places it.',
  words: 'photogrammetry photos photo model without scale true size unknown',
  needs: ['scans'],
  uses: ['placements'],
  gives: ['scans', 'placements'],
  params: RegisterScaleParams,
  suggest: () => ({}),
  async run({ scans, placements = [] }, { scans: names }, ctx) {
    const { findScale } = await import('@amber-knit/core/registration');
    if (names.length === 0)
      throw new GeometryError('invalid-parameter', 'Choose the scans whose size is not known; the others keep theirs.');
    const chosen = names.map((name) => scanNamed(scans, name));
    let all = groundOf(scans, placements, chosen);
    let sized = scans;
    let figures: FigureValues<typeof REGISTRATION_FIGURES> | undefined;
    const told: string[] = [];
    for (const [k, scan] of chosen.entries()) {
      const [from, to] = [k / chosen.length, (k + 1) / chosen.length];
      const ground = all.flatMap((p) =>
        hasPlace(p) && p.name !== scan.name ? [{ scan: scanNamed(sized, p.name), pieceFromScan: p.pieceFromScan }] : [],
      );
      const found = await findScale(scan, ground, ctx.part(from, from + 0.6 * (to - from), scan.name));
      if (!found || found.quality < LEAST_QUALITY) {
        ctx.note(
          `${scan.name} fits the others at no size and was left as it is. Pick pairs of places by hand, or give it a known length at Clean (Correct the unit).`,
        );
        continue;
      }
      const { factor, uncertainty, pieceFromScan, rms, rival } = found;
      told.push(`${scan.name} × ${numberText(factor)} ± ${shareText(2 * uncertainty)}`);
      sized = sized.map((s) => (s.name === scan.name ? rescaledScan(s, factor) : s));
      const placed = await placedAnew(
        sized,
        all,
        { name: scan.name, pieceFromScan, rms },
        ctx.part(from + 0.6 * (to - from), to, scan.name),
      );
      ({ figures } = placed);
      all = placed.outputs.placements;
      if (rival && rival.share > AS_LIKELY) {
        ctx.note(
          `${scan.name} could as well be × ${numberText(rival.factor)}: it stays placed, not registered. Measure a known length to be sure.`,
        );
        all = all.map((p) => (p.name === scan.name ? { ...p, state: 'placed' } : p));
      }
    }
    if (!figures)
      throw new GeometryError(
        'degenerate',
        `${names.join(', ')}: no size was found at which this fits the others. They may not overlap enough: pick pairs of places by hand, or give a known length at Clean (Correct the unit). Nothing was changed.`,
      );
    return {
      outputs: { scans: sized, placements: all },
      figures: { ...figures, sized: told.length, factors: told.join('; ') },
    };
  },
  figures: {
    ...REGISTRATION_FIGURES,
    sized: { kind: 'count', rank: 'headline', label: 'Scales found', help: 'Scans that got their size.' },
    factors: {
      kind: 'text',
      rank: 'detail',
      label: 'Factors',
      help: 'What all lengths of each scan were multiplied by, with two standard deviations as they follow from how well it fits.',
    },
  },
  summarize: (f) => `${f.factors}; ${summarizeRegistration(f)}`,
});

/**
 * Places a scan that has its size among the others, which stay: as any scan is registered, so that one that fits in several
 * places is in doubt. Where that finds none, it is placed where its size was found.
 */
async function placedAnew(
  scans: Scan[],
  before: Placement[],
  found: { name: string; pieceFromScan: Mat4; rms: number },
  ctx: RunContext,
): Promise<OperationResult<'placements', typeof REGISTRATION_FIGURES>> {
  const { registerScans } = await import('@amber-knit/core/registration');
  const staying = before.filter((p) => hasPlace(p) && p.name !== found.name);
  const taken = scans.filter((s) => s.name === found.name || staying.some((p) => p.name === s.name));
  const result = await registerScans(taken, { locked: staying }, ctx.part(0, 0.8));
  const place = result.placements.find((p) => p.name === found.name)!;
  if (!hasPlace(place)) return finishByHand(scans, before, found, true, ctx.part(0.8, 1));
  noteDoubts(
    result.doubts.filter((d) => d.scans.includes(found.name)),
    ctx,
  );
  return {
    // The others are as they were: only this one was to be placed.
    outputs: { placements: before.map((p) => (p.name === found.name ? place : p)) },
    figures: registrationFigures(result),
  };
}

/**
 * Placements of all scans in which some that have true scale have a place: if none has one yet, the one with the most points
 * becomes the reference. What is to get another size loses its place.
 * @throws GeometryError `invalid-parameter` if no scan with true scale is left, or a chosen one is locked
 */
function groundOf(scans: readonly Scan[], placements: readonly Placement[], chosen: readonly Scan[]): Placement[] {
  const unsized = new Set(chosen.map((s) => s.name));
  const all = scans.map((s) => placements.find((p) => p.name === s.name) ?? loosePlacement(s.name));
  const locked = all.find((p) => unsized.has(p.name) && p.locked);
  if (locked)
    throw new GeometryError('invalid-parameter', `${locked.name} is locked. Unlock it in the list of strands first.`);
  const rest = scans.filter((s) => !unsized.has(s.name));
  if (rest.length === 0)
    throw new GeometryError(
      'invalid-parameter',
      'No scan with true scale is left: leave out at least one whose size is right.',
    );
  const loosened = all.map((p): Placement => (unsized.has(p.name) ? { ...placeAlone(p), state: 'loose' } : p));
  if (loosened.some(hasPlace)) return loosened;
  const largest = rest.reduce((a, b) => (pointCount(b.cloud) > pointCount(a.cloud) ? b : a));
  return loosened.map((p) => (p.name === largest.name ? { ...p, state: 'registered', pieceFromScan: identity() } : p));
}
