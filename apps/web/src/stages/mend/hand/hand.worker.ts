import { HandSession, type CutEdit, type HandChange, type HandEdit } from '@amber-knit/core/handwork';
import { boundsOf, knowledgeOf, vertexNormals } from '@amber-knit/core/geometry';
import { createRunContext } from '@amber-knit/core/runtime';
import { serveWork, wordsOf } from '../../../shared/hand/serve-work';
import type { MovedVertices } from '../../../view/surface-layer';
import { streamSurface } from '../../../view/surface-parts';
import type { CutAsked, FromHand, ToHand } from './hand-messages';

// Holds the surface that is worked on by hand, off the page's thread, and does to it what the step will do.

const post = (m: FromHand): void => (self as unknown as Worker).postMessage(m);
const ctx = createRunContext();
let session: HandSession | undefined;
let notes: string[] = [];

async function open(meshId: string, edits: readonly HandEdit[]): Promise<void> {
  const parts = await streamSurface(meshId, new AbortController().signal, () => undefined);
  const { positions, indices, normals, colors } = parts;
  const opened = new HandSession({ positions, indices, normals, colors, ...knowledgeOf(parts) });
  for (const [i, edit] of edits.entries())
    try {
      opened.do(edit, ctx);
    } catch (e) {
      notes.push(`Edit ${i + 1} was left out. ${wordsOf(e)}`);
    }
  session = opened;
  showAll();
}

function showAll(): void {
  const { mesh } = session!;
  const { positions, indices, colors } = mesh;
  const normals = vertexNormals(mesh);
  const parts = { positions, indices, normals, colors, ...knowledgeOf(mesh), bounds: boundsOf(positions) };
  post({ tell: 'surface', parts });
  // What a brush needs is made ready before the first stroke waits for it.
  session!.under([0, 0, 0, 1e-3, 1]);
}

function showMoved(vertices: ArrayLike<number>, count = vertices.length): void {
  if (count > 0) post({ tell: 'moved', moved: movedVertices(vertices, count) });
}

function showChange(change: HandChange | undefined): void {
  if (change === 'all') showAll();
  else if (change) showMoved(change.vertices);
}

/** These vertices and their neighbours, whose normals have turned. */
function movedVertices(vertices: ArrayLike<number>, count: number): MovedVertices {
  const { positions: p } = session!.mesh;
  const all = session!.withNeighbours(vertices, count);
  const positions = new Float32Array(3 * all.length);
  const normals = new Float32Array(3 * all.length);
  const n = new Float64Array(3);
  all.forEach((v, i) => {
    session!.normalAt(v, n);
    for (let k = 0; k < 3; k++) {
      positions[3 * i + k] = p[3 * v + k];
      normals[3 * i + k] = n[k];
    }
  });
  return { vertices: all, positions, normals };
}

/** Turns a cut so that the part that is meant stays: that with more of the vertices, or with fewer. */
function turned({ keep, ...cut }: CutAsked): CutEdit {
  const { positions: p } = session!.mesh;
  const [nx, ny, nz] = cut.normal;
  const base = nx * cut.at[0] + ny * cut.at[1] + nz * cut.at[2];
  let above = 0;
  for (let v = 0; v < p.length; v += 3) if (nx * p[v] + ny * p[v + 1] + nz * p[v + 2] > base) above++;
  const larger = above > p.length / 6;
  return larger === (keep === 'larger') ? cut : { ...cut, normal: [-nx, -ny, -nz] };
}

async function answer(m: ToHand): Promise<void> {
  if (m.ask === 'open') return open(m.surface, m.edits);
  if (!session) return;
  switch (m.ask) {
    case 'begin':
      return session.begin(m.manner);
    case 'dab': {
      const { vertices, count } = session.dab(m.dab);
      return showMoved(vertices, count);
    }
    case 'end':
      session.end();
      return;
    case 'reach': {
      const { vertices, count } = session.under(m.dab);
      const { positions: p } = session.mesh;
      const positions = new Float32Array(3 * count);
      for (let i = 0; i < count; i++) positions.set(p.subarray(3 * vertices[i], 3 * vertices[i] + 3), 3 * i);
      return post({ tell: 'reached', positions });
    }
    case 'do':
      return showChange(session.do(m.edit, ctx));
    case 'cut':
      return showChange(session.do(turned(m.cut), ctx));
    case 'undo':
      return showChange(session.undo(ctx));
    case 'redo':
      return showChange(session.redo(ctx));
  }
}

serveWork<ToHand, HandEdit>(answer, () => {
  const told = notes;
  notes = [];
  return { edits: session?.edits ?? [], canRedo: session?.canRedo ?? false, notes: told };
});
