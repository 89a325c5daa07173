import { PerspectiveCamera, Plane, Raycaster, Vector2, Vector3 } from 'three';
import type { ViewAxes } from '../../../view/view-content';
import { crossAt, planeBehind } from './cut-plane';

const [WIDTH, HEIGHT] = [800, 600];

test('the plane behind a drawn line holds every ray through the line (three’s camera)', () => {
  const camera = new PerspectiveCamera(35, WIDTH / HEIGHT, 1, 5000);
  camera.up.set(0, 0, 1);
  camera.position.set(250, -300, 180);
  camera.lookAt(10, 5, 40);
  camera.updateMatrixWorld();
  const place = new Vector3(12, -7, 55);
  const axis = (k: number): [number, number, number] =>
    new Vector3().setFromMatrixColumn(camera.matrixWorld, k).toArray();
  const depth = -place.clone().applyMatrix4(camera.matrixWorldInverse).z;
  const axes: ViewAxes = {
    right: axis(0),
    up: axis(1),
    toEye: axis(2),
    mmPerPixel: (2 * Math.tan((camera.fov * Math.PI) / 360) * depth) / HEIGHT,
  };
  const ndc = place.clone().project(camera);
  const seen: [number, number] = [((ndc.x + 1) / 2) * WIDTH, ((1 - ndc.y) / 2) * HEIGHT];
  const eye = camera.position.toArray();
  const [from, to]: [number, number][] = [
    [100, 420],
    [690, 380],
  ];
  const { at, normal } = planeBehind([from, to], place.toArray(), axes, seen, eye);
  const plane = new Plane().setFromNormalAndCoplanarPoint(new Vector3(...normal).normalize(), new Vector3(...at));
  const ray = new Raycaster();
  for (const share of [0, 0.3, 1]) {
    const x = from[0] + share * (to[0] - from[0]);
    const y = from[1] + share * (to[1] - from[1]);
    ray.setFromCamera(new Vector2((2 * x) / WIDTH - 1, 1 - (2 * y) / HEIGHT), camera);
    expect(plane.distanceToPoint(ray.ray.at(400, new Vector3()))).toBeCloseTo(0, 6);
  }
});

test('a cross has its middle at the place', () => {
  const p = crossAt([1, 2, 3], 4);
  expect(p.length).toBe(3 * 51);
  expect([0, 1, 2].map((k) => p.filter((_, i) => i % 3 === k).reduce((s, x) => s + x, 0) / 51)).toEqual([1, 2, 3]);
});
