import { PictureSource, RetouchSession, type Touch, type TouchManner } from '@amber-knit/core/retouching';
import { decodeColor } from '@amber-knit/core/stored';
import { serveWork, wordsOf } from '../../../shared/hand/serve-work';
import { streamSurface } from '../../../view/surface-parts';
import { PictureFrames, type PictureScan } from '../picture-frames';
import { tilesOf } from './map-tiles';
import type { FromRetouch, ToRetouch } from './retouch-messages';

// Holds the map that is worked on by hand, off the page's thread, and does to it what the step will do.

const post = (m: FromRetouch): void => (self as unknown as Worker).postMessage(m);
let session: RetouchSession | undefined;
let scans: readonly PictureScan[] = [];
const frames = new PictureFrames();
const sources = new Map<string, PictureSource>();
let notes: string[] = [];

async function open({ surface, edits, scans: known }: Extract<ToRetouch, { ask: 'open' }>): Promise<void> {
  scans = known;
  const parts = await streamSurface(surface, new AbortController().signal, () => undefined);
  const { positions, indices, uvs, png, bounds } = parts;
  if (!uvs || !png) throw new Error('The piece has no map yet. Colour the surface first.');
  const texture = decodeColor(png, 'the map');
  post({ tell: 'opened', png, size: texture.width, bounds });
  const opened = new RetouchSession({ positions, indices, cornerUvs: uvs, texture }, (scan, frame) =>
    sources.get(key(scan, frame)),
  );
  for (const [i, touch] of edits.entries())
    try {
      await ready(touch);
      opened.do(touch);
    } catch (e) {
      notes.push(`Stroke ${i + 1} was left out. ${wordsOf(e)}`);
    }
  session = opened;
  show(new Set(opened.touches.flatMap((_, i) => Array.from(opened.texelsOf(i)))));
}

const key = (scan: string, frame: string): string => JSON.stringify([scan, frame]);

/** Makes ready the picture that a stroke takes its colours from. */
async function ready(touch: Touch | TouchManner): Promise<void> {
  if (touch.kind !== 'picture' || sources.has(key(touch.scan, touch.frame))) return;
  const scan = scans.find((s) => s.name === touch.scan);
  const frame = scan && (await frames.of(scan)).find((f) => f.name === touch.frame);
  if (scan && frame)
    sources.set(key(touch.scan, touch.frame), new PictureSource(frame, Float64Array.from(scan.pieceFromScan)));
}

function show(texels: Iterable<number> | ArrayLike<number> | undefined): void {
  if (!texels || !session) return;
  const tiles = tilesOf(session.model.texture, Array.from(texels as ArrayLike<number>));
  if (tiles.length > 0) post({ tell: 'tiles', tiles });
}

async function answer(m: ToRetouch): Promise<void> {
  if (m.ask === 'open') return open(m);
  if (m.ask === 'frames') {
    const scan = scans.find((s) => s.name === m.scan);
    const names = scan ? (await frames.of(scan)).map((f) => f.name) : [];
    return post({ tell: 'frames', scan: m.scan, names });
  }
  if (!session) return;
  switch (m.ask) {
    case 'begin':
      await ready(m.manner);
      return session.begin(m.manner);
    case 'dab':
      return show(session.dab(m.dab));
    case 'end':
      return show(session.end());
    case 'undo':
      return show(session.undo());
    case 'redo':
      return show(session.redo());
  }
}

serveWork<ToRetouch, Touch>(answer, () => {
  const told = notes;
  notes = [];
  return { edits: session?.touches ?? [], canRedo: session?.canRedo ?? false, notes: told };
});
