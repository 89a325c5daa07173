import { approached, dragged, keyed, pinched } from './scanner-hand';

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

test('two fingers: spreading comes closer, shifting both aims, and both at once', () => {
  const spread = pinched(
    held,
    [
      [100, 100],
      [200, 100],
    ],
    [
      [50, 100],
      [250, 100],
    ],
  );
  expect(spread).toEqual({ ...held, distance: 150 });
  const shifted = pinched(
    held,
    [
      [100, 100],
      [200, 100],
    ],
    [
      [110, 100],
      [210, 100],
    ],
  );
  expect(shifted).toEqual({ ...held, yaw: -1 });
  // Fingers on one place do not send the scanner to nowhere.
  expect(
    Number.isFinite(
      pinched(
        held,
        [
          [5, 5],
          [5, 5],
        ],
        [
          [5, 5],
          [5, 5],
        ],
      ).distance,
    ),
  ).toBe(true);
});

test('keys aim', () => {
  expect(keyed(held, 'a', false)).toMatchObject({ yaw: 1, around: 20 });
  expect(keyed(held, 'S', true)!.pitch).toBeCloseTo(-8 / 3);
});
