import { describeOperation, OPERATIONS } from '@amber-knit/operations';
import { entriesOf, PlaceFinder } from './find-places';
import { OTHER_QUESTIONS, QUESTIONS } from './questions';

const entries = entriesOf(OPERATIONS.map((o) => describeOperation(o)));
const finder = new PlaceFinder(entries);

/** How many have their place first, and which have not. */
function firsts(questions: typeof QUESTIONS): { right: number; wrong: string[] } {
  const wrong = questions.flatMap(([question, place]) => {
    const found = finder.find(question).map((e) => e.title);
    return found[0] === place ? [] : [`${question}: ${found.slice(0, 3).join(', ')}; not ${place}`];
  });
  return { right: questions.length - wrong.length, wrong };
}

test('every place that a question is about is there', () => {
  const titles = new Set(entries.map((e) => e.title));
  expect([...QUESTIONS, ...OTHER_QUESTIONS].map(([, place]) => place).filter((p) => !titles.has(p))).toEqual([]);
});

test('questions in a technician’s words find their place first: 36 of 40 at least', () => {
  const { right, wrong } = firsts(QUESTIONS);
  // The questions that went wrong are told if there are too many.
  expect(right >= 36 ? [] : wrong).toEqual([]);
  expect(QUESTIONS).toHaveLength(40);
});

test('so do those that the words were not chosen by', () => {
  const { right, wrong } = firsts(OTHER_QUESTIONS);
  // The questions that went wrong are told if there are too many.
  expect(right >= 36 ? [] : wrong).toEqual([]);
});

test('slips of the finger and beginnings of words are understood; what says nothing finds nothing', () => {
  const first = (question: string) => finder.find(question)[0]?.title;
  expect(first('watertihgt')).toBe(first('watertight'));
  expect(first('decim')).toBe('Reduce triangles');
  expect(finder.find('how do I do this with the')).toEqual([]);
  expect(finder.find('xylophone')).toEqual([]);
});
