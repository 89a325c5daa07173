import type { Figures, PieceStats } from '@amber-knit/operations';
import { firstGuideAnswers, type GuideAnswers } from '@amber-knit/planning';
import { standingOf } from '../follow-recipe.js';
import type { Ground, GroundScan, LineStep } from '../ground.js';
import { decide, nextMove, type GuideMemory } from './next-move.js';
import { recipeFor } from './recipe-for.js';
import { LATER, type Stop } from './stops.js';

/** A piece that plays its steps: what each tells is given, nothing is computed. */
class PlayedPiece {
  line: LineStep[] = [];
  scans: GroundScan[] = ['a', 'b', 'c'].map((name) => ({ name, broughtBy: 0, state: 'loose', doubtful: false }));
  memory: GuideMemory;
  triangles = 0;
  failed: Ground['failed'];
  told: Record<string, Figures> = {
    'clean.support': { removedPoints: 2000, scansWithSupport: 3, scans: 3 },
    'clean.strays': { removedPoints: 10, scans: 3 },
    'register.automatic': { registered: 3, scans: 3, rms: 0.1 },
    'fuse.surface': { triangles: 500_000, expectedError: 0.02 },
    'mend.all': { watertight: true, inventedRatio: 0.01, filledHoles: 4, leftOpen: 0, wouldCross: 0 },
    'mend.holes': { filledHoles: 1, inventedRatio: 0.02 },
    'mend.reduce': { triangles: 150_000, watertight: true },
    'texture.map': { seenRatio: 0.99 },
    'check.inspect': { watertight: true, width: 100, depth: 80, height: 150 },
    'register.exclude': { scans: 1, excluded: true },
  };
  private number = 0;

  constructor(
    answers: Partial<GuideAnswers> = {},
    private readonly known: Partial<PieceStats> = {},
  ) {
    this.memory = { answers: { ...firstGuideAnswers(null), support: 'yes', ...answers }, decided: {}, leftOut: [] };
  }

  ground(): Ground {
    const stats: PieceStats = {
      scans: this.scans.length,
      points: 10_000,
      spacing: 0.5,
      diagonal: 180,
      hasFrames: true,
      unrefined: 0,
      hasColors: true,
      triangles: this.triangles,
      hasModel: false,
      hasLight: false,
      names: this.scans.map((s) => s.name),
      ...this.known,
    };
    const { scans, line, failed } = this;
    return { stats, plan: null, scans, pointsBrought: 10_000, line, failed, busy: false, wentBack: false };
  }

  next() {
    return nextMove(this.memory, this.ground()).move;
  }

  /** Plays a step. */
  run(operationId: string, params: Record<string, unknown> = {}, byRun = true): LineStep {
    const figures = this.told[operationId] ?? {};
    const number = ++this.number;
    const step = {
      id: String(number),
      number,
      operationId,
      params,
      figures,
      byRun,
      changed: operationId !== 'check.inspect',
    };
    this.line.push(step);
    this.failed = undefined;
    if (typeof figures.triangles === 'number') this.triangles = figures.triangles;
    if (operationId === 'register.automatic')
      this.scans = this.scans.map((s) =>
        s.state === 'loose' && !s.name.startsWith('x') ? { ...s, state: 'registered' } : s,
      );
    return step;
  }

  /** Goes on until a person is asked or it is done. @returns the operations that were run */
  goOn(): string[] {
    const ran: string[] = [];
    for (let move = this.next(); move.kind === 'run'; move = this.next()) {
      this.run(move.operationId, move.params);
      ran.push(move.operationId);
      if (ran.length > 30) throw new Error(`It goes round: ${ran.join(' ')}`);
    }
    return ran;
  }

  asked(): Stop {
    const move = this.next();
    if (move.kind !== 'ask') throw new Error(`Nothing is asked, but ${move.kind}.`);
    return move.stop;
  }

  decide(choice: string): ReturnType<typeof decide> {
    const result = decide(this.memory, this.asked(), choice);
    this.memory = result.memory;
    return result;
  }

  verdict() {
    const move = this.next();
    if (move.kind !== 'done') throw new Error(`It is not done, but ${move.kind}.`);
    return move.verdict;
  }
}

const ALL = [
  'clean.support',
  'clean.strays',
  'register.automatic',
  'fuse.surface',
  'mend.all',
  'mend.reduce',
  'texture.map',
  'check.inspect',
];

test('with nothing in doubt it runs from loose scans to a good verdict, asking nobody', () => {
  const piece = new PlayedPiece();
  expect(piece.goOn()).toEqual(ALL);
  expect(piece.verdict()).toMatchObject({ grade: 'good', improve: [] });
  // Asked again it does nothing more: a restarted server goes on where it was.
  expect(piece.goOn()).toEqual([]);
});

test('frames that came with the places of a tracker are made to agree before all else', () => {
  const piece = new PlayedPiece({}, { unrefined: 1 });
  expect(piece.goOn()).toEqual(['clean.refine', ...ALL]);
});

test('answers choose the operations and their values', () => {
  const operations = (answers: Partial<GuideAnswers>): string[] => new PlayedPiece(answers).goOn();
  expect(operations({ support: 'no' })).not.toContain('clean.support');
  expect(operations({ kind: 'room' })).not.toContain('clean.support');
  expect(operations({ finish: 'reverse' })).not.toContain('texture.map');
  const set = (answers: Partial<GuideAnswers>, id: string): Record<string, unknown> => {
    const piece = new PlayedPiece(answers);
    piece.goOn();
    return piece.line.find((s) => s.operationId === id)!.params;
  };
  expect(set({ others: 'yes' }, 'clean.strays').pieceRatio).toBeGreaterThan(
    Number(set({}, 'clean.strays').pieceRatio ?? 0.002),
  );
  expect(Number(set({ fineness: 'quick' }, 'fuse.surface').voxel)).toBeGreaterThan(
    Number(set({ fineness: 'finest' }, 'fuse.surface').voxel),
  );
  expect(set({ openings: 'close' }, 'mend.all').maxRim).toBe(0);
  expect(set({ openings: 'keep' }, 'mend.all').maxRim).toBeGreaterThan(0);
});

test('what depends on a surface that is not there yet is to come, not left out', () => {
  const piece = new PlayedPiece();
  const reduce = () => nextMove(piece.memory, piece.ground()).standing.find((s) => s.step.operation === 'mend.reduce');
  expect(reduce()?.state).toBe('open');
  piece.told['fuse.surface'] = { triangles: 900 };
  piece.goOn();
  expect(reduce()?.state).toBe('left-out');
});

test('a light surface is not made lighter, and scans without colour get no map', () => {
  const piece = new PlayedPiece({ finish: 'print' });
  piece.told['fuse.surface'] = { triangles: 90_000, expectedError: 0.02 };
  expect(piece.goOn()).not.toContain('mend.reduce');
  const plain = piece.ground();
  const standing = standingOf(recipeFor(piece.memory.answers, plain), {
    ...plain,
    line: [],
    stats: { ...plain.stats, hasFrames: false, hasColors: false },
  });
  expect(standing.find((s) => s.step.operation === 'texture.map')?.state).toBe('left-out');
});

test('who does not know whether it stood on something is asked once the table is gone; it can be put back', () => {
  const piece = new PlayedPiece({ support: 'unknown' });
  expect(piece.goOn()).toEqual(['clean.support']);
  const stop = piece.asked();
  expect(stop.evidence[0].text).toBe('2,000, 20.0 % of all');
  const { goBackBefore } = piece.decide('put-back');
  expect(goBackBefore).toBe(piece.line[0].id);
  piece.line = [];
  expect(piece.goOn()).toEqual(ALL.slice(1));
});

test('whoever said that it stood on something is asked only if nearly all went with it', () => {
  const piece = new PlayedPiece();
  piece.told['clean.support'].removedPoints = 9000;
  expect(piece.goOn()).toEqual(['clean.support']);
  expect(piece.asked().stage).toBe('clean');
  piece.decide('right');
  expect(piece.goOn()).toEqual(ALL.slice(1));
});

test('scans in doubt stop it; kept, the model is not called good; left out, they take no part', () => {
  const doubtful = (): PlayedPiece => {
    const piece = new PlayedPiece();
    const run = piece.run.bind(piece);
    piece.run = (id, ...rest) => {
      const step = run(id, ...rest);
      if (id === 'register.automatic') piece.scans[2] = { ...piece.scans[2], state: 'placed', doubtful: true };
      if (id === 'register.exclude') piece.scans[2] = { ...piece.scans[2], state: 'excluded', doubtful: false };
      return step;
    };
    expect(piece.goOn()).toEqual(ALL.slice(0, 3));
    return piece;
  };
  const kept = doubtful();
  expect(kept.asked()).toMatchObject({ stage: 'register', safe: 'as-is' });
  kept.decide('as-is');
  kept.goOn();
  expect(kept.verdict()).toMatchObject({ grade: 'look', improve: [{ stage: 'register' }] });

  const out = doubtful();
  out.decide('exclude');
  expect(out.goOn()).toEqual(['register.exclude', ...ALL.slice(3)]);
  expect(out.line.find((s) => s.operationId === 'register.exclude')?.params).toEqual({ only: ['c'], exclude: true });
  expect(out.verdict().points[0]).toMatchObject({ text: '2 of 3 used; not c', grade: 'look' });
});

test('an intruder stays loose: the run asks, goes on without it and says so', () => {
  const piece = new PlayedPiece();
  piece.scans.push({ name: 'x', broughtBy: 0, state: 'loose', doubtful: false });
  piece.goOn();
  expect(piece.asked().text).toMatch(/^x fits nowhere/);
  piece.decide(LATER);
  piece.goOn();
  const { grade, points } = piece.verdict();
  expect(grade).toBe('look');
  expect(points.map((p) => p.label)).toContain('Left for later');
});

test('scans of which none has a place leave no safe way on', () => {
  const piece = new PlayedPiece();
  piece.scans = [{ name: 'x', broughtBy: 0, state: 'loose', doubtful: false }];
  piece.goOn();
  expect(piece.asked().safe).toBeUndefined();
  expect(() => piece.decide(LATER)).toThrow(/there are more-scans/);
});

test('openings are asked about; closed at the end, the colour is made anew', () => {
  const piece = new PlayedPiece({ openings: 'keep' });
  piece.told['mend.all'] = { watertight: false, inventedRatio: 0.01, filledHoles: 4, leftOpen: 3, wouldCross: 1 };
  piece.goOn();
  const stop = piece.asked();
  expect(stop.evidence[0]).toEqual({ label: 'Left open', text: '2' });
  piece.decide('meant');
  expect(piece.goOn()).toEqual(ALL.slice(5));
  piece.memory = decide(piece.memory, stop, 'close').memory;
  expect(piece.goOn()).toEqual(['mend.holes', 'texture.map', 'check.inspect']);
});

test('a hole that could not be closed is no opening that belongs there', () => {
  const piece = new PlayedPiece();
  piece.told['mend.all'] = { watertight: false, inventedRatio: 0.01, filledHoles: 4, leftOpen: 1, wouldCross: 1 };
  piece.told['check.inspect'].watertight = false;
  piece.goOn();
  expect(piece.verdict().grade).toBe('poor');
});

test('much that is invented is asked about at the end; scanning again takes only the new scans through cleaning', () => {
  const piece = new PlayedPiece();
  piece.told['mend.all'].inventedRatio = 0.3;
  expect(piece.goOn()).toEqual(ALL);
  expect(piece.decide('more-scans').pause).toBe(true);
  const brought = piece.run('capture.live', {}, false);
  piece.scans.push({ name: 'd', broughtBy: brought.number, state: 'loose', doubtful: false });
  const first = piece.next();
  expect(first).toMatchObject({ kind: 'run', operationId: 'clean.support', params: { only: ['d'] } });
  piece.told['mend.all'].inventedRatio = 0.02;
  expect(piece.goOn()).toEqual(ALL);
  expect(piece.verdict().grade).toBe('good');
});

test('what is done by hand counts, and what follows from it is done anew with the values a person chose', () => {
  const piece = new PlayedPiece();
  piece.goOn();
  piece.run('mend.all', { maxRim: 0, shape: 'flat' }, false);
  // It is light enough already.
  expect(piece.goOn()).toEqual(['texture.map', 'check.inspect']);
  piece.run('fuse.surface', { voxel: 0.3 }, false);
  expect(piece.next()).toMatchObject({ kind: 'run', operationId: 'mend.all', params: { shape: 'flat' } });
  expect(piece.goOn()).toEqual(ALL.slice(4));
  piece.run('mend.denoise', {}, false);
  expect(piece.goOn()).toEqual(['texture.map', 'check.inspect']);
});

test('answers that change are followed: only what they touch is done anew', () => {
  const piece = new PlayedPiece({ finish: 'render' });
  piece.goOn();
  piece.told['mend.reduce'] = { triangles: 400_000, watertight: true };
  piece.memory.answers.openings = 'close';
  expect(piece.goOn()).toEqual([]);
  piece.memory.answers.openings = 'keep';
  expect(piece.goOn()).toEqual(['mend.all', 'texture.map', 'check.inspect']);
  piece.memory.answers.fineness = 'finest';
  expect(piece.goOn()).toEqual(ALL.slice(3));
});

test('scans that came with their places are fitted, not looked for; a loose one among them makes a search of it', () => {
  const piece = new PlayedPiece({ support: 'no' });
  piece.scans = piece.scans.map((s) => ({ ...s, state: 'placed' }));
  expect(piece.goOn().slice(0, 3)).toEqual(['clean.strays', 'register.fine', 'fuse.surface']);
  expect(piece.goOn()).toEqual([]);
  const brought = piece.run('capture.import', {}, false);
  piece.scans.push({ name: 'd', broughtBy: brought.number, state: 'loose', doubtful: false });
  expect(piece.goOn().slice(0, 2)).toEqual(['clean.strays', 'register.automatic']);
});

test('a recipe that has an operation twice comes to its end', () => {
  const again = new PlayedPiece();
  const steps = [
    { operation: 'mend.all' },
    { operation: 'mend.reduce', set: { triangles: 100_000 } },
    { operation: 'mend.denoise' },
    { operation: 'mend.all' },
    { operation: 'mend.reduce', set: { triangles: 50_000 } },
  ];
  again.memory.recipe = { name: 'twice', title: '', steps };
  expect(again.goOn()).toEqual(steps.map((s) => s.operation));
});

test('a step that found nothing to do is not run over and over', () => {
  const piece = new PlayedPiece();
  const run = piece.run.bind(piece);
  piece.run = (id, ...rest) => Object.assign(run(id, ...rest), id === 'clean.strays' ? { changed: false } : {});
  expect(piece.goOn()).toEqual(ALL);
});

test('a step that fails is told; what a model can do without may be left out, the rest is tried again', () => {
  const piece = new PlayedPiece();
  while (piece.next().kind === 'run') {
    const move = piece.next();
    if (move.kind !== 'run') break;
    if (move.operationId === 'texture.map') break;
    piece.run(move.operationId, move.params);
  }
  piece.failed = { id: 'f', number: 90, operationId: 'texture.map', status: 'failed', error: 'Too large.' };
  expect(piece.asked()).toMatchObject({ text: 'Too large.', safe: 'leave-out' });
  piece.decide('leave-out');
  expect(piece.goOn()).toEqual(['check.inspect']);
  expect(piece.verdict()).toMatchObject({ grade: 'look' });

  const stuck = new PlayedPiece();
  stuck.failed = { id: 'f', number: 91, operationId: 'fuse.surface', status: 'failed', error: 'No scan has a place.' };
  expect(stuck.asked().safe).toBeUndefined();
  stuck.decide('again');
  expect(stuck.goOn()).toEqual(ALL);
});

test('it waits for scans, for work, and for whoever went back', () => {
  const { memory, ...piece } = new PlayedPiece();
  const ground = new PlayedPiece().ground();
  void piece;
  const move = (change: Partial<Ground>) => nextMove(memory, { ...ground, ...change }).move;
  expect(move({ stats: { ...ground.stats, scans: 0 } })).toEqual({ kind: 'wait', for: 'scans' });
  expect(move({ busy: true })).toEqual({ kind: 'wait', for: 'work' });
  expect(move({ wentBack: true })).toEqual({ kind: 'went-back' });
});

test('a size that was not planned is never called good', () => {
  const piece = new PlayedPiece();
  piece.told['check.inspect'] = { watertight: true, width: 3.9, depth: 3, height: 6 };
  const ground = (): Ground => ({ ...PlayedPiece.prototype.ground.call(piece), plan: plannedAt(150) });
  piece.ground = ground;
  piece.goOn();
  expect(piece.verdict()).toMatchObject({ grade: 'poor', improve: [{ stage: 'clean' }] });
});

const plannedAt = (size: number): NonNullable<Ground['plan']> => ({
  kind: 'part',
  size,
  surfaces: ['matte'],
  shape: 'some',
  marks: 'some',
  still: true,
  mayTouch: true,
  light: 'room',
  finish: 'render',
  deviceId: '',
});
