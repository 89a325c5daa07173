import { TurntableRun, type StopFrames } from './turntable-run';

const frame = (name: string) => ({
  name,
  camera: { width: 1, height: 1, fx: 1, fy: 1, cx: 0, cy: 0 },
  depth: new Float32Array(1),
});

test('every stop is turned to, waited for and taken once; frames under way are passed over', () => {
  const told: string[] = [];
  const named = ({ frames, angles }: StopFrames) => ({ names: frames.map((f) => f.name), angles });
  let result: object | undefined;
  const run = new TurntableRun(4, 2, {
    begin: (pass) => told.push(`begin ${pass}`),
    turn: (angle) => told.push(`turn ${angle}`),
    shoot: () => told.push('shoot'),
    say: () => undefined,
    done: (shape, colour) => (result = { shape: named(shape), colour: named(colour) }),
  });
  run.take(frame('too early'), 0);
  for (const angle of [0, 90, 180, 270]) {
    run.turned(angle);
    run.take(frame('old'), angle - 90);
    run.take(frame(`at ${angle}`), angle);
  }
  expect(result).toBeUndefined();
  for (const angle of [0, 180]) {
    run.turned(angle);
    run.take(frame(`colour at ${angle}`), angle);
  }
  expect(result).toEqual({
    shape: { names: ['at 0', 'at 90', 'at 180', 'at 270'], angles: [0, 90, 180, 270] },
    colour: { names: ['colour at 0', 'colour at 180'], angles: [0, 180] },
  });
  expect(told.filter((t) => t.startsWith('turn'))).toEqual([
    'turn 0',
    'turn 90',
    'turn 180',
    'turn 270',
    'turn 0',
    'turn 180',
  ]);
  expect(told.filter((t) => t.startsWith('begin'))).toEqual(['begin shape', 'begin colour']);
  // One for each stop and one for each frame that came too late.
  expect(told.filter((t) => t === 'shoot')).toHaveLength(10);
});
