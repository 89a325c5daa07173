import { placesInPicture } from './tile-pictures';

test('places are found where the camera pictures them; what is behind or beside it is left out', () => {
  const camera = { width: 320, height: 240, fx: 300, fy: 300, cx: 159.5, cy: 119.5 };
  const places = Float32Array.of(0, 0, 300, 40, -20, 300, 0, 0, -300, 500, 0, 300);
  expect(placesInPicture(places, camera)).toEqual([
    [0.5, 0.5],
    [0.625, expect.closeTo(0.5 - 20 / 240, 6)],
  ]);
});
