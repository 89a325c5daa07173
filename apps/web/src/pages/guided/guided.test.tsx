import { screen, waitFor, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import type { GuidedState, GuidedStepView, GuidedView, Stop } from '@amber-knit/contracts';
import { GUIDE_QUESTIONS, firstGuideAnswers } from '@amber-knit/planning';
import { pieceWith, showWithServer, stepWith } from '../../../test/with-server';
import { GuidedBar } from '../../shared/guided-bar';
import { GuideQuestions } from './guide-questions';
import { aboutText, GUIDE_WORDS } from './guide-words';
import { GuidedWay, secondsLeft } from './guided-way';
import { StopCard } from './stop-card';
import { VerdictCard } from './verdict-card';

const piece = pieceWith({ mesh: { id: 'm', facts: {}, stepId: 's' } as never });
const way = (...states: GuidedStepView['state'][]): GuidedStepView[] =>
  states.map((state, i) => ({
    operationId: `mend.${i}`,
    title: `Operation ${i}`,
    stage: 'mend',
    state,
    stepId: null,
    seconds: 60,
  }));
const run = (change: Partial<GuidedView> = {}): GuidedView => ({
  answers: firstGuideAnswers(null),
  recipe: null,
  status: 'working',
  now: 'Mend: filling',
  way: way('done', 'running', 'open', 'left-out'),
  secondsLeft: 90,
  stop: null,
  decided: [],
  verdict: null,
  ...change,
});
const stop: Stop = {
  key: 'support@3',
  number: 3,
  stage: 'clean',
  title: 'Was that the table?',
  text: 'Something flat went.',
  evidence: [{ label: 'Points taken away', text: '174,136' }],
  choices: [
    { id: 'right', label: 'Yes, it was', text: 'Go on without it.' },
    { id: 'put-back', label: 'No, put it back', text: 'Nothing goes.' },
  ],
  safe: 'right',
};
const state = (view: GuidedView): GuidedState => ({ run: view, first: view.answers });

test('every question that there is can be answered, each answer once, and all with “I don’t know”', () => {
  expect(GUIDE_WORDS.map((q) => q.question)).toEqual(Object.keys(GUIDE_QUESTIONS));
  for (const { question, answers } of GUIDE_WORDS)
    expect(answers.map(([a]) => a)).toEqual(GUIDE_QUESTIONS[question as 'kind']);
});

test('an answer is told, by its words alone', async () => {
  const told: unknown[] = [];
  showWithServer(<GuideQuestions answers={firstGuideAnswers(null)} onAnswer={(change) => told.push(change)} />, {});
  expect(screen.getAllByRole('group')).toHaveLength(6);
  await userEvent.click(screen.getByRole('radio', { name: 'Some belong there' }));
  expect(told).toEqual([{ openings: 'keep' }]);
});

test('time left goes by what was learnt at first and by the step itself later', () => {
  const at = (progress: number, seconds: number) =>
    secondsLeft(
      way('done', 'running', 'open'),
      stepWith({ status: 'running', progress, startedAt: new Date(0).toISOString() }),
      1000 * seconds,
    );
  expect(at(0, 0)).toBe(120);
  // Half done after 60 s: it takes 120 s, whatever was learnt.
  expect(at(0.5, 60)).toBeCloseTo(60 + 60);
  // Overdue steps never count below nothing.
  expect(at(0, 600)).toBe(60);
  expect([aboutText(3), aboutText(42), aboutText(100), aboutText(3600), aboutText(4200)]).toEqual([
    '5 s',
    '40 s',
    '2 min',
    '1 h',
    '1 h 10 min',
  ]);
});

test('the way says in words what is behind it, now, to come and not needed; it can be paused and gone on with', async () => {
  const paused = { 'POST pieces/p/guided/pause': state(run()), 'POST pieces/p/guided/go-on': state(run()) };
  const { asked } = showWithServer(
    <GuidedWay pieceId="p" run={run()} steps={[stepWith({ status: 'running' })]} />,
    paused,
  );
  const items = screen.getAllByRole('listitem').map((i) => i.textContent);
  expect(items).toEqual(['Operation 01 min', 'Operation 1now', 'Operation 2to come', 'Operation 3not needed']);
  expect(screen.getByRole('progressbar', { name: 'The whole run' })).toBeTruthy();
  await userEvent.click(screen.getByRole('button', { name: 'Pause' }));
  await waitFor(() => expect(asked.some((a) => a.path === 'pieces/p/guided/pause')).toBe(true));
});

test('a paused run offers to go on and nothing else', async () => {
  const { asked } = showWithServer(<GuidedWay pieceId="p" run={run({ status: 'paused' })} steps={[]} />, {
    'POST pieces/p/guided/go-on': state(run()),
  });
  expect(screen.getAllByRole('button')).toHaveLength(1);
  await userEvent.click(screen.getByRole('button', { name: 'Go on' }));
  await waitFor(() => expect(asked.some((a) => a.path === 'pieces/p/guided/go-on')).toBe(true));
});

test('a stop shows its evidence, what each choice leads to, and that it can wait', async () => {
  const { asked } = showWithServer(<StopCard pieceId="p" stop={stop} />, {
    'POST pieces/p/guided/decisions': state(run()),
  });
  const card = screen.getByRole('region', { name: 'Was that the table?' });
  expect(within(card).getByText('174,136')).toBeTruthy();
  expect(within(card).getByRole('link', { name: 'Look closer in Clean' }).getAttribute('href')).toBe(
    '/pieces/p/bench/clean',
  );
  await userEvent.click(within(card).getByRole('button', { name: 'No, put it back' }));
  await waitFor(() => expect(asked).toHaveLength(1));
  expect(asked[0].body).toEqual({ stop: 'support@3', choice: 'put-back' });
  await userEvent.click(within(card).getByRole('button', { name: 'Decide later (until then: yes, it was)' }));
  await waitFor(() => expect(asked).toHaveLength(2));
  expect(asked[1].body).toEqual({ stop: 'support@3', choice: 'later' });
});

test('what was decided says which choice it was, and can be decided anew', () => {
  showWithServer(<StopCard pieceId="p" stop={stop} chosen="put-back" />, {});
  expect(screen.getByText('Nothing goes. Chosen.')).toBeTruthy();
  expect(screen.getByRole<HTMLButtonElement>('button', { name: 'No, put it back' }).disabled).toBe(true);
  expect(screen.queryByRole('button', { name: /^Decide later/ })).toBeNull();
});

test('the verdict tells its points with a word each, what would help, and delivers what it was made for first', async () => {
  const verdict = {
    grade: 'look' as const,
    words: 'The model can be used.',
    points: [
      { label: 'Closed', text: 'yes, watertight', grade: 'good' as const },
      { label: 'Measured', text: '90 %', grade: 'look' as const },
    ],
    improve: [{ text: 'Scan again.', stage: 'register' as const }],
  };
  const { asked } = showWithServer(
    <VerdictCard
      piece={piece}
      steps={[]}
      verdict={verdict}
      answers={{ ...firstGuideAnswers(null), finish: 'print' }}
    />,
    { 'POST pieces/p/steps': stepWith({ status: 'queued' }) },
  );
  expect(screen.getAllByRole('img').map((i) => i.getAttribute('aria-label'))).toEqual(
    expect.arrayContaining(['look at it', 'good']),
  );
  expect(screen.getByRole('link', { name: 'Open Register' })).toBeTruthy();
  const [first] = screen.getAllByRole('button');
  expect(first.textContent).toBe(' For printing');
  await userEvent.click(first);
  await waitFor(() => expect(asked).toHaveLength(1));
  expect(asked[0].body).toEqual({ operationId: 'deliver.print', params: {} });
});

test('the bench tells that a run waits for an answer, and nothing once it is done', async () => {
  showWithServer(<GuidedBar pieceId="p" />, { 'GET pieces/p/guided': state(run({ status: 'asking', stop })) });
  expect((await screen.findByRole('status', { name: 'Guided run' })).textContent).toContain('Was that the table?');
  expect(screen.getByRole('link', { name: 'Answer' })).toBeTruthy();
});
