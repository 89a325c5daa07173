import { StepFault, wordsOf } from './step-runner.js';

test('what ended a step is told in words, not in codes', () => {
  // errno ENOSPC (POSIX), SQLSTATE 53100 (PostgreSQL, appendix A), and Node's code of a thread without memory.
  const coded = (code: string): Error => Object.assign(new Error('could not extend file "base/1/2"'), { code });
  expect(wordsOf(coded('ENOSPC'))).toMatch(/disk is full: make room/);
  expect(wordsOf(coded('ERR_WORKER_OUT_OF_MEMORY'))).toMatch(/more memory .* Nothing was changed/);
  expect(wordsOf(new StepFault('This piece has no scans.', {}))).toBe('This piece has no scans.');
  expect(wordsOf(new TypeError('x is undefined'))).toBe(
    'The step failed unexpectedly (x is undefined). Nothing was changed.',
  );
});
