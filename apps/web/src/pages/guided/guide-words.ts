import type { GuideAnswers, GuideQuestion } from '@amber-knit/planning';

/** A question in plain words: what is asked, what the answers are, and what they change. */
export interface QuestionWords<Q extends GuideQuestion = GuideQuestion> {
  question: Q;
  title: string;
  /** What the answer changes. */
  changes: string;
  answers: readonly (readonly [GuideAnswers[Q], string])[];
}

const ask = <Q extends GuideQuestion>(words: QuestionWords<Q>): QuestionWords => words as unknown as QuestionWords;
const UNKNOWN = ['unknown', 'I don’t know'] as const;

/** In the order of asking. */
export const GUIDE_WORDS: readonly QuestionWords[] = [
  ask({
    question: 'kind',
    title: 'What is it?',
    changes: 'A room stays open and keeps its floor; everything else loses what it stood on.',
    answers: [
      ['vessel', 'Vessel'],
      ['part', 'Machine part'],
      ['figure', 'Figure'],
      ['flat', 'Flat thing'],
      ['furniture', 'Furniture'],
      ['room', 'Room'],
      UNKNOWN,
    ],
  }),
  ask({
    question: 'finish',
    title: 'What is it for?',
    changes: 'How many triangles, how large a map, and whether it must be closed.',
    answers: [
      ['print', 'Print it'],
      ['archive', 'Keep it'],
      ['render', 'Show it'],
      ['reverse', 'Construct from it'],
      UNKNOWN,
    ],
  }),
  ask({
    question: 'fineness',
    title: 'How fine?',
    changes: 'The resolution of the surface, and the time it takes. Never finer than the scans.',
    answers: [['quick', 'A quick look'], ['even', 'Fine enough'], ['finest', 'The finest'], UNKNOWN],
  }),
  ask({
    question: 'support',
    title: 'Did it stand on something?',
    changes: 'A table or floor under it is found and taken away.',
    answers: [['yes', 'On a table or floor'], ['no', 'No, or it is cut away'], UNKNOWN],
  }),
  ask({
    question: 'others',
    title: 'Is anything else in the scans?',
    changes: 'Smaller things beside it are dropped.',
    answers: [['yes', 'Things beside it'], ['no', 'Nothing else'], UNKNOWN],
  }),
  ask({
    question: 'openings',
    title: 'And holes?',
    changes: 'What no scan saw is closed and marked as invented. Wide openings can stay.',
    answers: [['close', 'Close all'], ['keep', 'Some belong there'], UNKNOWN],
  }),
];

/** About how long, for a person: 40 s, 2 min, 1 h 10 min. */
export function aboutText(seconds: number): string {
  if (seconds < 55) return `${Math.max(5, 5 * Math.round(seconds / 5))} s`;
  const minutes = Math.round(seconds / 60);
  if (minutes < 60) return `${minutes} min`;
  const rest = minutes % 60;
  return `${Math.floor(minutes / 60)} h${rest > 0 ? ` ${rest} min` : ''}`;
}
