import { PlaceOverlay } from '../../test/place-overlay';
import { ViewHarness } from '../../test/view-harness';

/** The worked example of CONTRIBUTING.md. */
test('a click tells its place, Escape forgets it', () => {
  const view = new ViewHarness(PlaceOverlay);
  view.pick = (x, y) => ({ point: [x, y, 0], snapped: true });
  view.click(3, 4);
  expect(view.text).toBe('3.0 · 4.0 · 0.0');
  view.key('Escape');
  expect(view.text).toBe('Click the object.');
});
