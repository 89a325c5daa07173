import { tilesOf } from './map-tiles';

test('tiles hold what texels lie in, once each, and end at the border of the map', () => {
  const size = 100;
  const data = Uint8Array.from({ length: 3 * size * size }, (_, i) => (i * 7) % 256);
  const tiles = tilesOf({ width: size, height: size, data }, [0, 1, 63, 99 * size + 99]);
  expect(tiles.map(({ x, y, width, height }) => [x, y, width, height])).toEqual([
    [0, 0, 64, 64],
    [64, 64, 36, 36],
  ]);
  const last = tiles[1];
  const from = 3 * (99 * size + 99);
  expect([...last.rgba.slice(-4)]).toEqual([...data.slice(from, from + 3), 255]);
});
