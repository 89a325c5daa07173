import { listed } from '@amber-knit/core/runtime';
import {
  countText,
  findOperation,
  lengthText,
  operationOf,
  shareText,
  type Figures,
  type Stage,
  OPERATION_IDS,
} from '@amber-knit/operations';
import type { GuideAnswers } from '@amber-knit/planning';
import type { StepStanding } from '../follow-recipe.js';
import type { Ground } from '../ground.js';
import { LATER, type Stop } from './stops.js';

export type Grade = 'good' | 'look' | 'poor';

export interface VerdictPoint {
  label: string;
  text: string;
  grade: Grade;
}

/** How a model turned out, in words. */
export interface GuideVerdict {
  /** As good as the poorest of its points. */
  grade: Grade;
  words: string;
  points: VerdictPoint[];
  /** What would help, the most first, and where it is done. */
  improve: { text: string; stage: Stage }[];
}

const WORDS: Record<Grade, string> = {
  good: 'The model is good: nothing about it is in doubt.',
  look: 'The model can be used; some of it is worth a look.',
  poor: 'The model needs work before anybody relies on it.',
};

/** Limits of grades are common practice, no source: from the first on it is no longer good, from the second on poor. */
const INVENTED = [0.05, 0.25] as const;
/** Distance between neighbouring scans, in spacings of their points. */
const APART = [1, 3] as const;
const UNSEEN = [0.05, 0.3] as const;
/** Planned and found size differ by this factor: most likely a unit. */
const OTHER_SIZE = 2;

const gradeBy = (value: number, [look, poor]: readonly [number, number]): Grade =>
  value <= look ? 'good' : value < poor ? 'look' : 'poor';
const number = (value: Figures[string] | undefined): number | undefined =>
  typeof value === 'number' ? value : undefined;

/** Judges a piece at the end of a guided run; what was left undecided or out is named and is never called good. */
export function verdictOn(
  {
    answers,
    decided,
    leftOut,
  }: { answers: GuideAnswers; decided: Readonly<Record<string, string>>; leftOut: readonly string[] },
  ground: Ground,
  standing: readonly StepStanding[],
  stops: readonly Stop[],
): GuideVerdict {
  const points: VerdictPoint[] = [];
  const improve: GuideVerdict['improve'] = [];
  const point = (label: string, text: string, grade: Grade, better?: GuideVerdict['improve'][number]): void => {
    points.push({ label, text, grade });
    if (grade !== 'good' && better) improve.push(better);
  };
  const figures = (operationId: string): Figures =>
    ground.line.findLast((s) => s.operationId === operationId)?.figures ?? {};
  const registered = ground.line.findLast((s) => operationOf(s)?.stage === 'register' && s.figures.rms !== undefined);
  judgePlaces(ground, registered?.figures ?? {}, point);
  judgeSurface(answers, figures, ground, point);
  judgeSize(ground, figures(OPERATION_IDS.checkInspect), point);
  for (const stop of stops)
    if (decided[stop.key] === LATER)
      point('Left for later', stop.title, 'look', { text: `Decide: ${stop.title.toLowerCase()}`, stage: stop.stage });
  for (const id of leftOut) {
    const { title, stage } = findOperation(id);
    point('Gone without', title, 'look', { text: `Find out why “${title}” did not work.`, stage });
  }
  if (standing.some((s) => s.step.operation === OPERATION_IDS.textureMap && s.state === 'left-out'))
    points.push({ label: 'Colour', text: 'the scans have none', grade: 'good' });
  const grade = (['poor', 'look'] as const).find((g) => points.some((p) => p.grade === g)) ?? 'good';
  return { grade, words: WORDS[grade], points, improve };
}

type Tell = (label: string, text: string, grade: Grade, better?: GuideVerdict['improve'][number]) => void;

function judgePlaces({ scans, stats }: Ground, registered: Figures, tell: Tell): void {
  const named = (wanted: (s: Ground['scans'][number]) => boolean): string[] => scans.filter(wanted).map((s) => s.name);
  const loose = named((s) => s.state === 'loose');
  const excluded = named((s) => s.state === 'excluded');
  const doubtful = named((s) => s.doubtful);
  const out = [...loose, ...excluded];
  const taken = scans.length - out.length;
  tell(
    'Scans',
    out.length > 0 ? `${taken} of ${scans.length} used; not ${listed(out)}` : `all ${scans.length} used`,
    out.length === 0 ? 'good' : taken > out.length ? 'look' : 'poor',
    { text: `Place ${listed(out)} by matching points, or scan what lies between.`, stage: 'register' },
  );
  if (doubtful.length > 0)
    tell('In doubt', `${listed(doubtful)} may lie elsewhere`, 2 * doubtful.length > taken ? 'poor' : 'look', {
      text: `Choose the place of ${listed(doubtful)}: look for paint, dots or dents that tell.`,
      stage: 'register',
    });
  const rms = number(registered.rms);
  if (rms !== undefined && taken > 1)
    tell('Scans fit within', lengthText(rms), gradeBy(rms / Math.max(1e-9, stats.spacing), APART), {
      text: 'Fit the scans together more finely, or leave out the one that fits least.',
      stage: 'register',
    });
}

function judgeSurface(answers: GuideAnswers, figures: (id: string) => Figures, ground: Ground, tell: Tell): void {
  const mended = figures(OPERATION_IDS.mendAll);
  const byHand = ground.line.filter((s) => s.operationId === OPERATION_IDS.mendHoles);
  const invented = [mended, ...byHand.map((s) => s.figures)].reduce(
    (sum, f) => sum + (number(f.inventedRatio) ?? 0),
    0,
  );
  const { watertight } = figures(OPERATION_IDS.checkInspect);
  const open = watertight !== true;
  // What stays open by itself, because every filling would have crossed the surface, was not wanted open.
  const wanted =
    (number(mended.leftOpen) ?? 0) - (number(mended.wouldCross) ?? 0) > 0 &&
    !figures(OPERATION_IDS.mendHoles).filledHoles;
  tell(
    'Closed',
    open ? (wanted ? 'no, openings were left' : 'no') : 'yes, watertight',
    !open || wanted ? 'good' : 'poor',
    {
      text: 'Mend what is still open or crosses itself.',
      stage: 'mend',
    },
  );
  if (open && wanted && answers.finish === 'print')
    tell('For printing', 'an open surface has no inside', 'look', {
      text: 'Close the openings to print it.',
      stage: 'mend',
    });
  tell('Measured', `${shareText(1 - invented)}, the rest is invented`, gradeBy(invented, INVENTED), {
    text: 'Scan again where the surface is invented; Register shows where the scanner should stand.',
    stage: 'register',
  });
  const error = number(figures(OPERATION_IDS.fuseSurface).expectedError);
  if (error !== undefined) tell('Sure within', `${lengthText(error)} in the middle, one standard deviation`, 'good');
  const seen = number(figures(OPERATION_IDS.textureMap).seenRatio);
  if (seen !== undefined)
    tell('Colour', `${shareText(seen)} seen in pictures`, gradeBy(1 - seen, UNSEEN), {
      text: 'Take pictures of the sides whose colour was guessed.',
      stage: 'capture',
    });
}

function judgeSize({ plan }: Ground, inspected: Figures, tell: Tell): void {
  const sides = [inspected.width, inspected.depth, inspected.height].map(number).filter((v) => v !== undefined);
  if (sides.length < 3) return;
  const longest = Math.max(...sides);
  const planned = plan?.size;
  const off = planned ? Math.max(planned / longest, longest / planned) : 1;
  const size = sides.map((v) => v.toFixed(1)).join(' × ');
  tell(
    'Size',
    off > OTHER_SIZE ? `${size} mm; planned were ${countText(planned)} mm` : `${size} mm`,
    off > OTHER_SIZE ? 'poor' : 'good',
    { text: 'Check the unit of the files that came in: the size is not what was planned.', stage: 'clean' },
  );
}
