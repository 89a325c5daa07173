import type { StepView } from '@amber-knit/contracts';
import { sizeText, unitChoices, unitQuestionOf } from './unit-question';

const step = (change: Partial<StepView>): StepView =>
  ({
    id: '1',
    operationId: 'capture.import',
    status: 'failed',
    figures: { across: 0.148 },
    sourceName: 'left.ply',
    error: 'Which unit?',
    ...change,
  }) as StepView;

test('only a refused import with a size asks', () => {
  expect(unitQuestionOf(step({}))).toEqual({ stepId: '1', fileName: 'left.ply', across: 0.148, reason: 'Which unit?' });
  expect(unitQuestionOf(step({ figures: null }))).toBeUndefined();
  expect(unitQuestionOf(step({ status: 'done' }))).toBeUndefined();
  expect(unitQuestionOf(step({ operationId: 'clean.thin' }))).toBeUndefined();
});

test('the likeliest unit is the one that comes nearest to the plan, or to what lies on a bench', () => {
  const likely = (across: number, planned?: number) => unitChoices(across, planned).find((c) => c.likely)!.value;
  expect(likely(0.148)).toBe('m');
  expect(likely(0.148, 150)).toBe('m');
  expect(likely(6.5, 150)).toBe('in');
  expect(likely(16, 150)).toBe('cm');
  expect(likely(16, 14)).toBe('mm');
});

test('sizes in the unit that people would use', () => {
  expect([0.148, 5.9, 148.26, 148_260].map(sizeText)).toEqual(['148 µm', '5.9 mm', '148 mm', '148 m']);
});
