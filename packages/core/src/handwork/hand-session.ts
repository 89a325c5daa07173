import { vertexNormals, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { fillHoles } from '../mending/fill-holes.js';
import { listHoles } from '../mending/holes.js';
import { makeManifold } from '../mesh/repair.js';
import type { RunContext } from '../runtime/run-context.js';
import { bridgeRims, nearestEdge } from './bridge-rims.js';
import { BrushReach } from './brush-reach.js';
import { BrushStroke } from './brush-stroke.js';
import { cutByPlane } from './cut-by-plane.js';
import { cannot, isBrushEdit, type BrushEdit, type Dab, type FillEdit, type HandEdit } from './hand-edit.js';
import { markMoved } from './still-measured.js';
import { takeOut } from './take-out.js';

/** Edits whose surface before them is kept, at most; what lies further back is worked out again. */
const MOST_KEPT = 8;

/** What an edit has changed: where these vertices lie, or all. */
export type HandChange = { vertices: ArrayLike<number> } | 'all';

/** What a piece of handwork amounts to. */
export interface HandTotals {
  /** Vertices that were moved, and how far the one that went furthest, mm. */
  moved: number;
  farthest: number;
  /** Places that were closed, and that were to be and stayed open. */
  filled: number;
  leftOpen: number;
}

interface Done {
  edit: HandEdit;
  /** How to go back: vertices and where they were; the surface and where its vertices began; or not kept. */
  back?: { vertices: Uint32Array; places: Float32Array } | { mesh: TriangleMesh; base: Float32Array };
  totals: HandTotals;
}

/** What became of a surface whose triangles changed. */
interface Remade {
  mesh: TriangleMesh;
  filled: number;
  leftOpen: number;
}

/**
 * Work by hand on a surface: edits one after the other, each of which can be taken back. The same edits on the same surface
 * always give the same result, dab by dab in a worker or all at once in a step. The surface given stays as it is.
 */
export class HandSession {
  /** As it lies now; its vertices move with every dab. */
  mesh!: TriangleMesh;
  /** Where its vertices were when the work began, or since triangles changed last. */
  private base!: Float32Array;
  private reached?: BrushReach;
  private stroke?: { edit: Omit<BrushEdit, 'dabs'>; dabs: Dab[]; brush: BrushStroke };
  private done: Done[] = [];
  private undone: HandEdit[] = [];
  private readonly start: TriangleMesh;

  constructor(mesh: TriangleMesh) {
    // Rims and fans must be clear before anything is cut or filled.
    this.start = makeManifold(mesh).mesh;
    this.take(this.start);
  }

  get edits(): readonly HandEdit[] {
    return this.done.map((d) => d.edit);
  }

  get canRedo(): boolean {
    return this.undone.length > 0;
  }

  /** Does an edit. @throws GeometryError `invalid-parameter` if it means nothing here; the surface is then as before */
  do(edit: HandEdit, ctx: RunContext): HandChange {
    const change = this.perform(edit, ctx);
    this.undone = [];
    return change;
  }

  /** What a dab would reach: the first `count` of `vertices`, valid until the next dab. */
  under(dab: Dab): { vertices: Uint32Array; count: number } {
    return { vertices: this.reach.vertices, count: this.reach.find(dab) };
  }

  /** Unit normal of a vertex as the surface lies now. */
  normalAt(v: number, out: Float64Array): void {
    this.reach.normalAt(v, out);
  }

  /** The first `count` vertices of a list and all that share a triangle with one of them. */
  withNeighbours(vertices: ArrayLike<number>, count: number): Uint32Array {
    const { start, list } = this.reach.around;
    const all = new Set<number>();
    for (let i = 0; i < count; i++)
      for (let j = start[vertices[i]]; j < start[vertices[i] + 1]; j++)
        for (let k = 0; k < 3; k++) all.add(this.mesh.indices[3 * list[j] + k]);
    return Uint32Array.from(all);
  }

  /** Begins a stroke, which goes on dab by dab; `end` makes it an edit. */
  begin(edit: Omit<BrushEdit, 'dabs'>): void {
    this.stroke = { edit, dabs: [], brush: new BrushStroke(this.mesh, this.reach, this.base, edit) };
  }

  /** Goes on with the stroke. @returns what it reached: the first `count` of `vertices`, valid until the next dab */
  dab(dab: Dab): { vertices: Uint32Array; count: number } {
    const { vertices } = this.reach;
    if (!this.stroke) return { vertices, count: 0 };
    this.stroke.dabs.push(dab);
    return { vertices, count: this.stroke.brush.dab(dab) };
  }

  /** Ends the stroke. @returns false if it moved nothing: then it is forgotten */
  end(): boolean {
    const ended = this.endStroke();
    if (ended) this.undone = [];
    return ended;
  }

  /** Takes the last edit back. @returns what that changed; undefined if there is none */
  undo(ctx: RunContext): HandChange | undefined {
    const last = this.done.pop();
    if (!last) return undefined;
    const { edit, back } = last;
    this.undone.push(edit);
    if (!back) return this.workOutAgain(ctx);
    if ('mesh' in back) {
      this.put(back.mesh, back.base);
      return 'all';
    }
    const { vertices, places } = back;
    const p = this.mesh.positions;
    let farthest = 0;
    vertices.forEach((v, i) => {
      const [x, y, z] = [places[3 * i], places[3 * i + 1], places[3 * i + 2]];
      farthest = Math.max(farthest, Math.hypot(p[3 * v] - x, p[3 * v + 1] - y, p[3 * v + 2] - z));
      p.set([x, y, z], 3 * v);
    });
    this.reached?.hasMoved(farthest);
    return { vertices };
  }

  /** Does again what was taken back last. @returns what that changed; undefined if there is nothing */
  redo(ctx: RunContext): HandChange | undefined {
    const edit = this.undone.pop();
    return edit && this.perform(edit, ctx);
  }

  /** The surface as it is handed on: what went far from where it was measured no longer counts as measured. */
  finish(): { mesh: TriangleMesh; totals: HandTotals } {
    const marked = markMoved(this.mesh, this.base);
    const mesh = marked.mesh.normals ? { ...marked.mesh, normals: vertexNormals(marked.mesh) } : marked.mesh;
    const totals = { moved: marked.count, farthest: marked.farthest, filled: 0, leftOpen: 0 };
    for (const { totals: t } of this.done) {
      totals.moved += t.moved;
      totals.farthest = Math.max(totals.farthest, t.farthest);
      totals.filled += t.filled;
      totals.leftOpen += t.leftOpen;
    }
    return { mesh, totals };
  }

  private get reach(): BrushReach {
    return (this.reached ??= new BrushReach(this.mesh));
  }

  private perform(edit: HandEdit, ctx: RunContext): HandChange {
    if (isBrushEdit(edit)) {
      const { dabs, ...manner } = edit;
      this.begin(manner);
      for (const dab of dabs) this.dab(dab);
      const { touched } = this.stroke!.brush;
      if (!this.endStroke()) throw cannot('There is no surface under the brush, or only its rim.');
      return { vertices: touched };
    }
    const marked = markMoved(this.mesh, this.base);
    const made = this.remake(marked.mesh, edit, ctx);
    const totals = { moved: marked.count, farthest: marked.farthest, filled: made.filled, leftOpen: made.leftOpen };
    this.done.push({ edit, back: { mesh: this.mesh, base: this.base }, totals });
    const kept = this.done.filter((d) => d.back && 'mesh' in d.back);
    if (kept.length > MOST_KEPT) delete kept[0].back;
    this.take(made.mesh);
    return 'all';
  }

  private endStroke(): boolean {
    const { stroke } = this;
    this.stroke = undefined;
    if (!stroke || stroke.brush.touched.length === 0) return false;
    const { touched, before } = stroke.brush;
    this.done.push({
      edit: { ...stroke.edit, dabs: stroke.dabs },
      back: { vertices: Uint32Array.from(touched), places: Float32Array.from(before) },
      totals: { moved: 0, farthest: 0, filled: 0, leftOpen: 0 },
    });
    return true;
  }

  private remake(mesh: TriangleMesh, edit: Exclude<HandEdit, BrushEdit>, ctx: RunContext): Remade {
    switch (edit.kind) {
      case 'erase':
      case 'refill':
      case 'lasso':
        return takeOut(mesh, this.reach, edit, ctx);
      case 'fill':
        return fillNearest(mesh, edit, ctx);
      case 'bridge':
        return { mesh: bridgeRims(mesh, edit), filled: 0, leftOpen: 0 };
      case 'cut':
        return { filled: 0, ...cutByPlane(mesh, edit) };
    }
  }

  /** All edits that are left, from the beginning. */
  private workOutAgain(ctx: RunContext): HandChange {
    const edits = this.edits;
    this.done = [];
    this.take(this.start);
    edits.forEach((edit, i) => this.perform(edit, ctx.part(i / edits.length, (i + 1) / edits.length)));
    return 'all';
  }

  /** Goes on from a surface, which stays as it is. */
  private take(mesh: TriangleMesh): void {
    this.put({ ...mesh, positions: mesh.positions.slice() }, mesh.positions);
  }

  private put(mesh: TriangleMesh, base: Float32Array): void {
    this.mesh = mesh;
    this.base = base;
    this.reached = undefined;
  }
}

function fillNearest(mesh: TriangleMesh, { at, shape }: FillEdit, ctx: RunContext): Remade {
  const holes = listHoles(mesh);
  if (holes.length === 0) throw cannot('The surface has no hole to fill.');
  const { loop } = nearestEdge(
    mesh,
    holes.map((h) => h.rim),
    at,
  );
  const r = fillHoles(mesh, { shape, only: [loop] }, ctx);
  if (r.filled === 0)
    throw cannot('Every filling of this hole would cross the surface. Bridge it first, or erase what is in the way.');
  return { mesh: r.mesh, filled: r.filled, leftOpen: 0 };
}
