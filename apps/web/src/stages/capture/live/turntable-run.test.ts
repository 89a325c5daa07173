import { markedFrame } from '@amber-knit/core/turntable';
import { TurntableRun } from './turntable-run';

const frame = (name: string) => ({
  name,
  camera: { width: 1, height: 1, fx: 1, fy: 1, cx: 0, cy: 0 },
  depth: new Float32Array(1),
});

test('every stop is turned to, waited for and taken once; frames under way are passed over', () => {
  const told: string[] = [];
  const taken: string[] = [];
  let done = 0;
  const run = new TurntableRun(4, 2, {
    begin: (pass) => told.push(`begin ${pass}`),
    turn: (angle) => told.push(`turn ${angle}`),
    shoot: () => told.push('shoot'),
    say: () => undefined,
    taken: (f) => taken.push(f.name),
    done: () => done++,
  });
  run.take(frame('too early'), 0);
  for (const angle of [0, 90, 180, 270]) {
    run.turned(angle);
    run.take(frame('old'), angle - 90);
    run.take(frame(`at ${angle}`), angle);
  }
  expect(done).toBe(0);
  for (const angle of [0, 180]) {
    run.turned(angle);
    run.take(frame(`colour at ${angle}`), angle);
  }
  expect(done).toBe(1);
  expect(run.complete).toBe(true);
  expect(taken).toEqual([
    'shape at 0°',
    'shape at 90°',
    'shape at 180°',
    'shape at 270°',
    'colour at 0°',
    'colour at 180°',
  ]);
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

test('a run that was broken off goes on where it was', () => {
  const turned: number[] = [];
  const begun: string[] = [];
  const hands = {
    begin: (pass: string) => void begun.push(pass),
    turn: (angle: number) => void turned.push(angle),
    shoot: () => undefined,
    say: () => undefined,
    taken: () => undefined,
    done: () => undefined,
  };
  const shape = [0, 90, 180, 270].map((a) => markedFrame(frame(''), 'shape', a));
  new TurntableRun(4, 2, hands, shape.slice(0, 3));
  new TurntableRun(4, 2, hands, [...shape, markedFrame(frame(''), 'colour', 0)]);
  expect(turned).toEqual([270, 180]);
  expect(begun).toEqual(['shape', 'colour']);
  expect(new TurntableRun(4, 0, hands, shape).complete).toBe(true);
  expect(turned).toHaveLength(2);
});
