import { LinkedOrbits, type Turning } from './linked-orbits';

const view = (around: number, distance: number): Turning => ({ orbit: { around, down: 1, distance } });

/** Turned by hand. */
function turn(v: Turning, by: number, nearer = 1, led = false): void {
  v.orbit = { ...v.orbit, around: v.orbit.around + by, distance: v.orbit.distance / nearer };
  v.onOrbit?.(v.orbit, led);
}

test('views turn by as much and come as much nearer, each from where it stands', () => {
  const [a, b] = [view(0, 100), view(2, 300)];
  const linked = new LinkedOrbits();
  const leave = [a, b].map((v) => linked.join(v))[0];
  turn(a, 0.5, 2);
  expect(b.orbit).toEqual({ around: 2.5, down: 1, distance: 150 });
  turn(b, -1);
  expect(a.orbit).toEqual({ around: -0.5, down: 1, distance: 50 });
  // Apart for a while; then on from there, without a jump.
  linked.on = false;
  turn(a, 3);
  expect(b.orbit.around).toBe(1.5);
  linked.on = true;
  turn(a, 0.25);
  expect(b.orbit.around).toBe(1.75);
  // What a view fits to itself leaves the other alone, and is no jump afterwards.
  turn(a, 7, 1, true);
  turn(a, 0.25);
  expect(b.orbit.around).toBe(2);
  leave();
  turn(b, 1);
  expect(a.orbit.around).toBe(10);
});
