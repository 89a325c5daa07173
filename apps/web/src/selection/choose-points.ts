import { BitSet } from '@amber-knit/core/geometry';
import {
  growSelection,
  insideOfPath,
  invertSelection,
  planeAround,
  pointAt,
  selectBox,
  selectConnected,
  selectLikeColor,
  selectLikeNormal,
  selectOnScreen,
  selectSlab,
  selectWithin,
  shrinkSelection,
  trackOfBrush,
  type PointRef,
  type ScreenView,
  type SelectableCloud,
} from '@amber-knit/core/selection';
import type { Selector } from './selection-messages';

/** How far from the pointer, in pixels, a point still counts as clicked. */
const REACH = 8;

/**
 * The points that a selector means, for each cloud; or, in words, why it means none.
 * @param standing what is selected now: some selectors change it
 */
export function choosePoints(
  selector: Exclude<Selector, { kind: 'measure' | 'named' | 'found' }>,
  clouds: SelectableCloud[],
  standing: BitSet[],
): BitSet[] | string {
  switch (selector.kind) {
    case 'region': {
      const { path, radius, view, shape } = selector;
      const region =
        shape === 'brush'
          ? trackOfBrush(path, radius, view.width, view.height)
          : insideOfPath(path, view.width, view.height);
      return selectOnScreen(clouds, view, region, selector.visibleOnly);
    }
    case 'ball':
      return selectWithin(clouds, Float32Array.from(selector.places), selector.radius);
    case 'piece':
      return withPoint(clouds, selector, (seed) =>
        selectConnected(
          clouds,
          clouds.map((c) => c.present),
          seed,
          gapOf(clouds),
        ),
      );
    case 'color':
      return withPoint(clouds, selector, (seed) => {
        if (!clouds[seed.cloud].colors) return 'This scan has no colours.';
        const alike = selectLikeColor(clouds, seed, selector.tolerance);
        return selector.connected ? selectConnected(clouds, alike, seed, gapOf(clouds)) : alike;
      });
    case 'normal':
      return withPoint(clouds, selector, (seed) => {
        if (!clouds[seed.cloud].normals)
          return 'It is not known from where this scan was seen, so its surface has no directions.';
        const alike = selectLikeNormal(clouds, seed, (selector.maxAngleDeg * Math.PI) / 180);
        return selector.connected ? selectConnected(clouds, alike, seed, gapOf(clouds)) : alike;
      });
    case 'plane':
      return withPoint(clouds, selector, (seed) => {
        const plane = planeAround(clouds, seed, selector.distance, selector.eye);
        if (!plane) return 'Too few points lie there to tell a plane.';
        const d = selector.distance;
        const [from, to] =
          selector.side === 'on' ? [-d, d] : selector.side === 'front' ? [d, Infinity] : [-Infinity, -d];
        return selectSlab(clouds, plane.place, plane.normal, from, to);
      });
    case 'box':
      return selectBox(clouds, selector.min, selector.max);
    case 'all':
      return clouds.map((c) => c.present);
    case 'none':
      return clouds.map((c) => new BitSet(c.present.size));
    case 'invert':
      return invertSelection(clouds, standing);
    case 'grow':
      return growSelection(clouds, standing, selector.radius);
    case 'shrink':
      return shrinkSelection(clouds, standing, selector.radius);
  }
}

function withPoint(
  clouds: SelectableCloud[],
  { at, view }: { at: [number, number]; view: ScreenView },
  then: (seed: PointRef) => BitSet[] | string,
): BitSet[] | string {
  const seed = pointAt(clouds, view, at, REACH);
  return seed ? then(seed) : 'There is no point there. Click on the object.';
}

/** Gaps that connected points may have, mm. */
const gapOf = (clouds: SelectableCloud[]): number => 3 * Math.max(...clouds.map((c) => c.spacing));

/** Points whose value lies in a range, its ends included. */
export function selectRange(
  { present }: SelectableCloud,
  values: Float32Array | undefined,
  from: number,
  to: number,
): BitSet {
  const out = new BitSet(present.size);
  if (!values) return out;
  for (let i = 0; i < values.length; i++) if (values[i] >= from && values[i] <= to && present.has(i)) out.add(i);
  return out;
}
