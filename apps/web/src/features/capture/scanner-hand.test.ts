import { approached, dragged, keyed } from './scanner-hand';

const held = { around: 20, up: 24, distance: 300, yaw: 0, pitch: 0 };

test('dragging walks round, aiming turns on the spot', () => {
  expect(dragged(held, -10, 0, false)).toMatchObject({ around: 23.5, up: 24, yaw: 0 });
  expect(dragged(held, 0, 20, false)).toMatchObject({ around: 20, up: 31 });
  expect(dragged(held, -10, 0, true)).toMatchObject({ around: 20, yaw: 1 });
});

test('wheel and keys approach, and there is a key for every move', () => {
  expect(approached(held, 1).distance).toBeGreaterThan(300);
  expect(keyed(held, '+', false)!.distance).toBeLessThan(300);
  expect(keyed(held, 'ArrowRight', false)!.around).toBe(23);
  expect(keyed(held, 'ArrowUp', true)!.up).toBe(32);
  expect(keyed(held, 'q', false)).toBeUndefined();
});
