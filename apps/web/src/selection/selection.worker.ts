import { BitSet } from '@amber-knit/core/geometry';
import { encodeSelection } from '@amber-knit/core/stored';
import { loadCut } from '../view/load-artifact';
import { loadPoints, type StoredPoints } from '../view/load-points';
import { KeptSelections } from './kept-selections';
import { SelectionDesk, type DeskScan } from './selection-desk';
import type { FromSelection, ShownScan, ToSelection } from './selection-messages';

/** Selecting off the page's thread, on all points of all scans, not on what happens to be drawn. */

const desk = new SelectionDesk();
/** Points by id of their stored cloud; only those of the scans on the desk are kept. */
let stored = new Map<string, Promise<StoredPoints>>();
const whole = new Map<string, BitSet>();
const told = new Map<string, { selected?: BitSet; leaving?: BitSet }>();
const stop = new AbortController();
let newest = 0;
let kept: KeptSelections | undefined;

const say = (message: FromSelection, transfer: Transferable[] = []): void =>
  (self as unknown as Worker).postMessage(message, transfer);

/** The scans being read: whatever else is asked waits for them. */
let reading: Promise<void> = Promise.resolve();

self.onmessage = ({ data }: MessageEvent<ToSelection>): void => {
  if (data.type === 'scans') {
    reading = take(data.scans, data.pieceId).catch((e: Error) => say({ type: 'said', text: e.message }));
    return;
  }
  say({ type: 'working', busy: true });
  void reading
    .then(() => answer(data))
    .catch((e: Error) => say({ type: 'said', text: e.message }))
    .then(tell);
};

async function answer(data: Exclude<ToSelection, { type: 'scans' }>): Promise<void> {
  if (data.type === 'select') {
    const { selector } = data;
    if (selector.kind === 'named' && desk.asksFor(selector.name))
      desk.learn(selector.name, await kept!.get(selector.name));
    const trouble = desk.select(data.selector, data.join, data.slab);
    if (trouble) say({ type: 'said', text: trouble });
  } else if (data.type === 'preview') {
    try {
      desk.select(
        await desk.found(data.operationId, data.params, (fraction) => say({ type: 'loading', fraction })),
        'replace',
      );
    } finally {
      say({ type: 'loading', fraction: null });
    }
  } else if (data.type === 'undo') desk.undo();
  else if (data.type === 'redo') desk.redo();
  else if (data.type === 'restore') desk.restore();
  else if (data.type === 'remember') await kept?.put(data.name, desk.remember(data.name));
  else if (data.type === 'forget') {
    desk.forget(data.name);
    await kept?.forget(data.name);
  } else if (data.type === 'measure') {
    const spread = desk.measure(data.measure, data.slab, (fraction) => say({ type: 'loading', fraction }));
    say({ type: 'spread', spread });
    say({ type: 'loading', fraction: null });
    for (const { id } of desk.sizes()) {
      const levels = desk.levelsOf(id);
      if (levels) say({ type: 'levels', scanId: id, levels }, [levels.buffer]);
    }
  } else if (data.type === 'spread') {
    const spread = desk.spreadWithin(data.slab);
    if (spread) say({ type: 'spread', spread });
  } else {
    const selection = desk.packed();
    const bytes = encodeSelection(selection).buffer as ArrayBuffer;
    say({ type: 'packed', bytes, scans: selection.map((s) => s.scan) }, [bytes]);
    desk.leave();
  }
}

/** Takes the piece's scans, reading what is new. A later call overtakes an earlier one. */
async function take(shown: ShownScan[], pieceId: string): Promise<void> {
  const mine = ++newest;
  if (kept?.pieceId !== pieceId) {
    kept = new KeptSelections(pieceId);
    // Without them selecting goes on.
    kept.names().then(
      (names) => {
        desk.hear(names);
        say({ type: 'state', state: desk.state() });
      },
      (e: Error) => say({ type: 'said', text: e.message }),
    );
  }
  const bases = new Set(shown.map((s) => s.source.base));
  stored = new Map([...stored].filter(([id]) => bases.has(id)));
  const progress = new Map([...bases].map((id) => [id, stored.has(id) ? 1 : 0]));
  const report = (id: string, fraction: number): void => {
    progress.set(id, fraction);
    const done = [...progress.values()].reduce((a, b) => a + b, 0) / progress.size;
    if (mine === newest) say({ type: 'loading', fraction: done });
  };
  for (const id of bases)
    if (!stored.has(id))
      stored.set(
        id,
        loadPoints(id, stop.signal, (f) => report(id, f)),
      );
  const scans = await Promise.all(
    shown.map(async (s): Promise<DeskScan> => {
      const { viewpoints, ...points } = await stored.get(s.source.base)!;
      const present = await presentOf(s.source.base, s.source.cut, points.positions.length / 3);
      const cloud = { ...points, present, viewFromScan: Float64Array.from(s.viewFromScan), spacing: s.spacing };
      return { id: s.id, name: s.name, base: s.source.base, cloud, viewpoints, visible: s.visible };
    }),
  );
  if (mine !== newest) return;
  desk.setScans(scans);
  say({ type: 'loading', fraction: null });
  for (const id of [...told.keys()]) if (!shown.some((s) => s.id === id)) told.delete(id);
  tell();
}

/** What a cut leaves of a stored cloud, or all of it; the same set as long as nothing changes. */
function presentOf(base: string, cut: string | undefined, size: number): Promise<BitSet> {
  if (cut) return loadCut(cut);
  const known = whole.get(base) ?? BitSet.full(size);
  whole.set(base, known);
  return Promise.resolve(known);
}

/** Tells the page what is selected, and the view which marks have changed. */
function tell(): void {
  say({ type: 'state', state: desk.state() });
  for (const { id, size } of desk.sizes()) {
    const marks = desk.marksOf(id);
    const last = told.get(id);
    if (last?.selected === marks.selected && last?.leaving === marks.leaving) continue;
    told.set(id, marks);
    const selected = marks.selected?.bytes.slice() ?? null;
    const leaving = marks.leaving?.bytes.slice() ?? null;
    const transfer = [selected?.buffer, leaving?.buffer].filter((b) => b !== undefined);
    say({ type: 'marks', scanId: id, size, selected, leaving }, transfer as ArrayBuffer[]);
  }
  say({ type: 'working', busy: false });
}
