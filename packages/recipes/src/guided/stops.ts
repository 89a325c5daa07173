import { listed } from '@amber-knit/core/runtime';
import {
  countText,
  findOperation,
  lengthText,
  OPERATION_IDS,
  shareText,
  type Figures,
  type Stage,
} from '@amber-knit/operations';
import type { GuideAnswers } from '@amber-knit/planning';
import { BRINGS_SCANS, type StepStanding } from '../follow-recipe.js';
import type { Ground, LineStep } from '../ground.js';

/** What follows from a choice, besides going on. */
export type Effect =
  | { kind: 'run'; operationId: string; params: Record<string, unknown> }
  /** Goes back to where the piece stood before that step, with other answers. */
  | { kind: 'go-back'; stepId: string; answers: Partial<GuideAnswers> }
  | { kind: 'leave-out'; operationId: string }
  /** The run pauses until a person says that all scans are there. */
  | { kind: 'more-scans' };

export interface StopChoice {
  id: string;
  label: string;
  /** What it leads to. */
  text: string;
  effect?: Effect;
}

/** A place where a person must judge. */
export interface Stop {
  /** Names the question and the step that raised it: raised anew, it is asked anew. */
  key: string;
  /** The step that raised it. */
  number: number;
  stage: Stage;
  title: string;
  text: string;
  evidence: { label: string; text: string }[];
  choices: StopChoice[];
  /** The choice that is taken where nobody is asked or it is left for later; without one, nothing can go on. */
  safe?: string;
}

/** The decision of a stop that is left for later: the safe choice is taken, the verdict names it. */
export const LATER = 'later';

/** Above this share of points gone with the support, or of surface invented, a person is asked; common practice, no source. */
const MUCH_SUPPORT = 0.75;
const MUCH_INVENTED = 0.1;

type StopFinder = (at: { answers: GuideAnswers; ground: Ground; done: Done }) => Stop | undefined;
/** The step of a recipe that did an operation, where it is done. */
type Done = (operationId: string) => LineStep | undefined;

const number = (value: Figures[string] | undefined): number => (typeof value === 'number' ? value : 0);
const scansText = (n: number): string => `${n} ${n === 1 ? 'scan' : 'scans'}`;

const support: StopFinder = ({ answers, ground, done }) => {
  const step = done(OPERATION_IDS.cleanSupport);
  if (!step?.changed) return undefined;
  const gone = number(step.figures.removedPoints);
  const share = gone / Math.max(1, ground.pointsBrought);
  if (answers.support === 'yes' && share < MUCH_SUPPORT) return undefined;
  return {
    key: `support@${step.number}`,
    number: step.number,
    stage: 'clean',
    title: 'Was that the table?',
    text: 'Something flat under the object was taken for a table or floor and removed. If it was part of the object, put it back.',
    evidence: [
      { label: 'Points taken away', text: `${countText(gone)}, ${shareText(share)} of all` },
      {
        label: 'Found in',
        text: `${number(step.figures.scansWithSupport)} of ${scansText(number(step.figures.scans))}`,
      },
    ],
    choices: [
      { id: 'right', label: 'Yes, it was', text: 'Go on without it.' },
      {
        id: 'put-back',
        label: 'No, put it back',
        text: 'Nothing is taken away from any scan.',
        effect: { kind: 'go-back', stepId: step.id, answers: { support: 'no' } },
      },
    ],
    safe: 'right',
  };
};

const places: StopFinder = ({ ground, done }) => {
  const step = done(OPERATION_IDS.registerAutomatic) ?? done(OPERATION_IDS.registerFine);
  if (!step) return undefined;
  const named = (wanted: (s: Ground['scans'][number]) => boolean): string[] =>
    ground.scans.filter(wanted).map((s) => s.name);
  const loose = named((s) => s.state === 'loose');
  const doubtful = named((s) => s.doubtful);
  if (loose.length + doubtful.length === 0) return undefined;
  const placed = ground.scans.filter((s) => s.state !== 'loose' && s.state !== 'excluded').length;
  const some = [...loose, ...doubtful];
  return {
    // Other scans in doubt are another question.
    key: `places@${step.number}:${some.sort().join('|')}`,
    number: step.number,
    stage: 'register',
    title: 'Do they lie right?',
    text: [
      loose.length > 0 ? `${listed(loose)} ${loose.length > 1 ? 'fit' : 'fits'} nowhere among the others.` : '',
      doubtful.length > 0
        ? `${listed(doubtful)} may lie elsewhere: the shape alone does not tell, as with spokes or round bodies.`
        : '',
      'In Register the places can be compared and chosen, or scans placed by matching points.',
    ]
      .filter(Boolean)
      .join(' '),
    evidence: [
      { label: 'Have a place', text: `${placed} of ${scansText(ground.scans.length)}` },
      ...(loose.length > 0 ? [{ label: 'Loose', text: listed(loose) }] : []),
      ...(doubtful.length > 0 ? [{ label: 'In doubt', text: listed(doubtful) }] : []),
    ],
    choices: [
      ...(placed > 0
        ? [
            {
              id: 'as-is',
              label: doubtful.length > 0 ? 'Keep the likeliest places' : 'Go on without them',
              text:
                doubtful.length > 0
                  ? 'The verdict will say that they are in doubt.'
                  : 'Loose scans take no part in the surface.',
            },
          ]
        : []),
      ...(doubtful.length > 0 && placed > doubtful.length
        ? [
            {
              id: 'exclude',
              label: 'Leave the doubtful out',
              text: 'They stay in the piece and take no part.',
              effect: {
                kind: 'run',
                operationId: OPERATION_IDS.registerExclude,
                params: { only: doubtful, exclude: true },
              } as const,
            },
          ]
        : []),
      moreScans('Scan more', 'A scan that overlaps with two others often settles it.'),
    ],
    ...(placed > 0 ? { safe: 'as-is' } : {}),
  };
};

const openings: StopFinder = ({ answers, done }) => {
  const step = done(OPERATION_IDS.mendAll);
  const left = number(step?.figures.leftOpen) - number(step?.figures.wouldCross);
  if (!step || left <= 0 || done(OPERATION_IDS.mendHoles)) return undefined;
  const holes = left === 1 ? 'One opening was' : `${left} openings were`;
  const rim = number(step.params.maxRim as number);
  return {
    key: `openings@${step.number}`,
    number: step.number,
    stage: 'mend',
    title: left === 1 ? 'Does this opening belong there?' : 'Do these openings belong there?',
    text: `${holes} too wide to be closed without asking: what closes it is invented. In Mend each can be looked at and closed by itself.`,
    evidence: [
      { label: 'Left open', text: countText(left) },
      ...(rim > 0 ? [{ label: 'Rim longer than', text: lengthText(rim) }] : []),
      { label: 'Closed', text: `${number(step.figures.filledHoles)} smaller ones` },
    ],
    choices: [
      { id: 'meant', label: 'Yes, leave open', text: 'The model keeps its openings; a printer may refuse it.' },
      {
        id: 'close',
        label: 'No, close all',
        text: 'The surface goes on over them; it is marked as invented.',
        effect: { kind: 'run', operationId: OPERATION_IDS.mendHoles, params: { holes: '' } },
      },
    ],
    safe: answers.finish === 'print' && answers.openings !== 'keep' ? 'close' : 'meant',
  };
};

const enough: StopFinder = ({ done }) => {
  const step = done(OPERATION_IDS.mendAll);
  if (!step || !done(OPERATION_IDS.checkInspect)) return undefined;
  const invented = number(step.figures.inventedRatio);
  if (invented <= MUCH_INVENTED) return undefined;
  return {
    key: `enough@${step.number}`,
    number: step.number,
    stage: 'capture',
    title: 'Good enough here?',
    text: 'Much of the surface was seen by no scan and is invented. Register shows where the scanner should stand to see it.',
    evidence: [
      { label: 'Measured', text: shareText(1 - invented) },
      { label: 'Invented', text: shareText(invented) },
      { label: 'Holes closed', text: countText(number(step.figures.filledHoles)) },
    ],
    choices: [
      { id: 'enough', label: 'Good enough', text: 'The verdict says how much is invented.' },
      moreScans('Scan again', 'The run pauses; once the new scans are there it takes them in.'),
    ],
    safe: 'enough',
  };
};

const moreScans = (label: string, text: string): StopChoice => ({
  id: 'more-scans',
  label,
  text,
  effect: { kind: 'more-scans' },
});

/** What a model can do without. */
const DISPENSABLE: readonly string[] = [
  OPERATION_IDS.cleanSupport,
  OPERATION_IDS.cleanStrays,
  OPERATION_IDS.mendReduce,
  OPERATION_IDS.textureMap,
  OPERATION_IDS.checkInspect,
];

/** A step that came to no good end. */
export function failedStop({ failed }: Ground): Stop | undefined {
  if (!failed || BRINGS_SCANS.includes(failed.operationId)) return undefined;
  const { operationId, status, error, number: raised } = failed;
  const { title, stage } = findOperation(operationId);
  const optional = DISPENSABLE.includes(operationId);
  return {
    key: `failed@${raised}`,
    number: raised,
    stage,
    title: status === 'failed' ? `“${title}” did not work` : `“${title}” was stopped`,
    text:
      status === 'failed'
        ? error
        : 'Somebody stopped this step. Nothing was changed by it; the run waits here for you.',
    evidence: [],
    choices: [
      {
        id: 'again',
        label: 'Try again',
        text: 'With values by hand: run it in its stage, the run goes on from there.',
      },
      ...(optional
        ? [
            {
              id: 'leave-out',
              label: 'Go on without it',
              text: 'The verdict will say so.',
              effect: { kind: 'leave-out', operationId } as const,
            },
          ]
        : []),
    ],
    ...(optional && status === 'failed' ? { safe: 'leave-out' } : {}),
  };
}

/** What a person must judge of a piece as it stands, in the order of work; those decided are among them. */
export function findStops(answers: GuideAnswers, ground: Ground, standing: readonly StepStanding[]): Stop[] {
  const done: Done = (id) =>
    standing.find((s) => s.step.operation === id)?.by ??
    (standing.some((s) => s.step.operation === id) ? undefined : newest(id, ground, standing));
  return [support, places, openings, enough].flatMap((find) => find({ answers, ground, done }) ?? []);
}

/** A step outside of the recipe counts from the last one of its stage on. */
function newest(id: string, { line }: Ground, standing: readonly StepStanding[]): LineStep | undefined {
  const { stage } = findOperation(id);
  const by = line.findLast((s) => s.operationId === id);
  const ground = standing.find((s) => findOperation(s.step.operation).stage === stage)?.by;
  return by && ground && by.number > ground.number ? by : undefined;
}
