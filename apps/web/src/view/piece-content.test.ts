import type { PieceView, ScanView } from '@amber-knit/contracts';
import { placeTried, viewReducer, scanHidden, scanIsolated } from '../app/view-slice';
import { contentOf } from './piece-content';

const settings = viewReducer(undefined, { type: 'start' });
const IDENTITY = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];

function scan(id: string, state: ScanView['placement']['state']): ScanView {
  return {
    id,
    name: id,
    setup: 'Upright',
    colorIndex: 0,
    frames: 0,
    note: '',
    droppedFrames: [],
    framesId: null,
    coverage: [],
    cloud: { id: `cloud-${id}`, kind: 'cloud', bytes: 0, facts: { diagonal: 100 }, stepId: null },
    original: { id: `cloud-${id}`, kind: 'cloud', bytes: 0, facts: {}, stepId: null },
    placement: { name: id, state, pieceFromScan: IDENTITY },
  };
}

const piece = (scanList: ScanView[], more: Partial<PieceView> = {}): PieceView =>
  ({ scanList, mesh: null, model: null, ...more }) as PieceView;

beforeAll(() => {
  (globalThis as { document?: unknown }).document = { documentElement: { dataset: { theme: 'light' } } };
});

test('loose scans lie side by side, sensor up upwards, none on another', () => {
  const { clouds, surface } = contentOf(
    piece(['a', 'b', 'c', 'd', 'e'].map((id) => scan(id, 'loose'))),
    'scans',
    settings,
  );
  expect(surface).toBeUndefined();
  const places = clouds.map((c) => c.matrix.slice(12, 15).join());
  expect(new Set(places).size).toBe(5);
  // The sensor looks along +Z with Y down: its up (0, -1, 0) becomes +Z of the view.
  const m = clouds[0].matrix;
  expect([m[4], m[5], m[6]]).toEqual([0, 0, -1]);
});

test('registered scans stand where they were placed', () => {
  const { clouds } = contentOf(piece([scan('a', 'registered')]), 'scans', settings);
  expect(clouds[0].matrix).toEqual(IDENTITY);
});

test('a tried place moves only its scans and makes the others faint', () => {
  const shifted = [...IDENTITY.slice(0, 12), 1, 2, 3, 1];
  const tried = viewReducer(settings, placeTried({ scans: ['b'], pieceFromPiece: shifted }));
  const two = piece([scan('a', 'registered'), scan('b', 'registered')]);
  const { clouds } = contentOf(two, 'scans', tried);
  expect(clouds.map((c) => c.matrix.slice(12, 15))).toEqual([
    [0, 0, 0],
    [1, 2, 3],
  ]);
  expect(clouds.map((c) => c.faint)).toEqual([true, false]);
  const back = contentOf(two, 'scans', viewReducer(tried, placeTried(null)));
  expect(back.clouds.every((c) => !c.faint && c.matrix[12] === 0)).toBe(true);
});

test('from Fuse on the surface is shown, from Texture on the coloured one', () => {
  const artifact = (id: string) => ({ id, kind: 'mesh' as const, bytes: 0, facts: {}, stepId: null });
  const p = piece([scan('a', 'registered')], { mesh: artifact('mesh'), model: artifact('model') });
  expect(contentOf(p, 'scans', settings).surface).toBeUndefined();
  expect(contentOf(p, 'surface', settings).surface).toBe('mesh');
  expect(contentOf(p, 'model', settings).surface).toBe('model');
  expect(contentOf({ ...p, model: null }, 'model', settings).surface).toBe('mesh');
});

test('hidden scans are not visible, an isolated one is the only one', () => {
  const p = piece([scan('a', 'registered'), scan('b', 'registered')]);
  const visible = (s: typeof settings): string[] =>
    contentOf(p, 'scans', s)
      .clouds.filter((c) => c.visible)
      .map((c) => c.scanId);
  const hidden = viewReducer(settings, scanHidden('a'));
  expect(visible(hidden)).toEqual(['b']);
  expect(visible(viewReducer(hidden, scanHidden('a')))).toEqual(['a', 'b']);
  const alone = viewReducer(settings, scanIsolated('a'));
  expect(visible(alone)).toEqual(['a']);
  expect(visible(viewReducer(alone, scanIsolated('a')))).toEqual(['a', 'b']);
});

test('excluded scans are shown only when isolated; cut ones name the cloud they were cut from', () => {
  const cut = scan('b', 'registered');
  cut.cloud = { ...cut.cloud, facts: { diagonal: 100, points: 70, base: 'cloud-raw' } };
  const p = piece([scan('a', 'excluded'), cut]);
  const { clouds } = contentOf(p, 'scans', settings);
  expect(clouds.map((c) => c.visible)).toEqual([false, true]);
  expect(contentOf(p, 'scans', viewReducer(settings, scanIsolated('a'))).clouds[0].visible).toBe(true);
  expect(clouds.map((c) => c.source)).toEqual([{ base: 'cloud-a' }, { base: 'cloud-raw', cut: 'cloud-b' }]);
  expect(clouds[1].points).toBe(70);
});
