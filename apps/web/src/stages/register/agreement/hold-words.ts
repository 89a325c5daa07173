import type { PieceView, ScanView, StepView } from '@amber-knit/contracts';
import { freedomsOf, type Freedom } from '@amber-knit/core/registration';
import { listed } from '@amber-knit/core/runtime';
import { lengthText } from '@amber-knit/operations/quantity-text';
import { hasPlace } from '../../../view/piece-content';

/** The loosest motion of a scan, if it is known how well it is held. */
export function loosestOf({ placement }: ScanView): Freedom | undefined {
  const { uncertainty } = placement;
  return uncertainty ? freedomsOf(uncertainty)[0] : undefined;
}

const AXES = ['X', 'Y', 'Z'];

/** A direction in the piece: along an axis if it is close to one (within about 18°). */
function directionWords(direction: readonly number[]): string {
  const most = direction.map(Math.abs).reduce((best, v, k, all) => (v > all[best] ? k : best), 0);
  return Math.abs(direction[most]) > 0.95 ? AXES[most] : 'an oblique line';
}

/** How a scan could still move, as a person would say it. */
export function freedomWords(f: Freedom): string {
  if (f.sigma === 0) return 'the others are measured from it';
  const line = directionWords(f.direction);
  return `± ${lengthText(f.sigma)} ${f.kind === 'slide' ? 'sliding along' : 'turning about'} ${line}`;
}

/** The step that last fitted the placements: what came after it moved nothing. */
export function lastFit(piece: PieceView, steps: readonly StepView[]): StepView | undefined {
  let step = steps.find((s) => s.id === piece.placements?.stepId);
  while (step && step.figures?.rms === undefined) {
    const { inputs }: StepView = step;
    step = steps.find((s) => s.stage === 'register' && s.outputs.some((o) => inputs.includes(o)));
  }
  return step;
}

/** What is to be said of all placements together. */
export interface Verdict {
  good: boolean;
  title: string;
  reasons: string[];
}

/** A pair is worth a look if it fits worse than the usual one by this factor. */
const UNUSUAL = 3;
/** Movement in the last iteration from which on the fit has not come to rest, mm. */
const RESTLESS = 0.02;

/** One verdict over a registration, with its reasons; undefined before there is one. */
export function verdictOf(piece: PieceView, last: StepView | undefined): Verdict | undefined {
  const placed = piece.scanList.filter(hasPlace);
  if (placed.length < 2) return undefined;
  const reasons: string[] = [];
  const loose = piece.scanList.filter((s) => s.placement.state === 'loose').map((s) => s.name);
  if (loose.length > 0) reasons.push(`${listed(loose)} ${loose.length === 1 ? 'has' : 'have'} no place yet.`);
  const inDoubt = (reason: string): string[] => piece.doubts.filter((d) => d.reason === reason).flatMap((d) => d.scans);
  const say = (names: string[], one: string, many: string): void => {
    if (names.length > 0) reasons.push(`${listed(names)} ${names.length === 1 ? one : many}.`);
  };
  say(inDoubt('elsewhere'), 'fits elsewhere as well', 'fit elsewhere as well');
  say(inDoubt('loosely'), 'is held only loosely', 'are held only loosely');
  say(inDoubt('seen-through'), 'stands where others looked through', 'stand where others looked through');
  say(inDoubt('on-doubtful'), 'lies mostly on scans in doubt', 'lie mostly on scans in doubt');
  const named = new Set(piece.doubts.flatMap((d) => d.scans));
  const unconfirmed = placed.filter((s) => s.placement.state === 'placed' && !named.has(s.name)).map((s) => s.name);
  say(
    unconfirmed,
    'is placed and not registered: nothing has confirmed its place yet',
    'are placed and not registered: nothing has confirmed their places yet',
  );
  const pairs = pairsOf(piece);
  const usual = pairs.map((p) => p.rms).sort((a, b) => a - b)[pairs.length >> 1] ?? 0;
  const worst = pairs.reduce((w, p) => (p.rms > w.rms ? p : w), { a: '', b: '', rms: 0, overlapRatio: 0 });
  if (worst.rms > UNUSUAL * usual) {
    reasons.push(
      `${worst.a} and ${worst.b} fit ${(worst.rms / usual).toFixed(1)} times worse than most: ${lengthText(worst.rms)}.`,
    );
  }
  const moved = convergenceOf(last);
  if (moved.length > 0 && moved[moved.length - 1] > RESTLESS) {
    reasons.push(
      `The fit has not come to rest (${lengthText(moved[moved.length - 1])} in its last round): fit together again.`,
    );
  }
  if (reasons.length > 0) return { good: false, title: 'Look at this before fusing', reasons };
  const held = placed.map(loosestOf).reduce((most, f) => Math.max(most, f?.sigma ?? 0), 0);
  const all = `All ${placed.length} scans are registered; usual distance between them ${lengthText(usual)}`;
  return {
    good: true,
    title: 'They hold together',
    reasons: [held > 0 ? `${all}, the loosest held to ± ${lengthText(held)}.` : `${all}.`],
  };
}

/** Two scans that lie on each other. */
export interface PairFit {
  a: string;
  b: string;
  /** mm */
  rms: number;
  /** 0–1 */
  overlapRatio: number;
}

/** Each pair of placed scans that overlap, once. */
export function pairsOf(piece: PieceView): PairFit[] {
  const names = piece.scanList.filter(hasPlace).map((s) => s.name);
  return piece.scanList.flatMap((s) =>
    (s.placement.neighbours ?? [])
      .filter((n) => names.includes(s.name) && names.indexOf(n.name) > names.indexOf(s.name))
      .map((n) => ({ a: s.name, b: n.name, rms: n.rms, overlapRatio: n.overlapRatio })),
  );
}

/** Movement in each iteration of the fit that gave the placements, mm. */
export function convergenceOf(step: StepView | undefined): number[] {
  const curve = step?.figures?.convergence;
  return Array.isArray(curve) ? curve : [];
}
