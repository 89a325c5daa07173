import { triangleCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { GeometryError } from '../runtime/geometry-error.js';
import type { RunContext } from '../runtime/run-context.js';
import { clearCrossings } from './clear-crossings.js';
import { fillHoles, FILL_HOLES_DEFAULTS, type FillHolesOptions } from './fill-holes.js';
import { listHoles } from './holes.js';
import { findIslands } from './islands.js';
import { evenRims, makeManifold, removeFragments } from '../mesh/repair.js';
import { findCrossings } from '../mesh/crossings.js';
import { inspectTopology, type TopologyReport } from '../mesh/topology.js';

export interface MendMeshOptions extends Pick<FillHolesOptions, 'maxRim' | 'shape'> {
  /** Loose pieces with less than this share of the largest piece's triangles are dropped (0–1; 1 = keep one piece). */
  fragmentRatio: number;
  /** Rounds of evening ragged rims before filling. */
  evenRounds: number;
}

export const MEND_MESH_DEFAULTS: MendMeshOptions = {
  maxRim: FILL_HOLES_DEFAULTS.maxRim,
  shape: FILL_HOLES_DEFAULTS.shape,
  fragmentRatio: 0.05,
  evenRounds: 0,
};

export interface MendMeshResult {
  mesh: TriangleMesh;
  removedPieces: number;
  repairedTriangles: number;
  filledHoles: number;
  leftOpen: number;
  /** Pieces of surface within holes that fillings went on to. */
  islandsJoined: number;
  /** Of those left open, openings that belong to the object. */
  meant: number;
  /** Holes left open because every filling would have crossed the surface. */
  wouldCross: number;
  /** Pairs of triangles that crossed in what came in. */
  crossingsFound: number;
  /** Pairs that still do. */
  crossingsLeft: number;
  inventedArea: number;
  report: TopologyReport;
}

/** Vertices on the rims of islands. */
function islandVertices(mesh: TriangleMesh): Set<number> {
  const holes = listHoles(mesh);
  return new Set([...findIslands(mesh, holes).values()].flat().flatMap((i) => Array.from(holes[i].rim)));
}

/** Rounds of mending after the first. */
const MOST_ROUNDS = 4;
/** From this round on, what can't be filled as the surface goes on is filled as a skin. */
const FIRST_SKINS = 2;
/** How far round crossing triangles the surface is taken out, by round. */
const CROSSING_RINGS = [0, 1, 1, 2, 2];

/**
 * Repairs a mesh in the order that works: faults, triangles that cross, loose pieces, holes; then once more with what
 * that brought up. Ragged rims are trimmed only if asked. Whether it is closed, in `report`; whether it crosses itself
 * still, in `crossingsLeft`.
 * @throws GeometryError `empty-input` if the mesh has no triangles
 */
export function mendMesh(mesh: TriangleMesh, options: Partial<MendMeshOptions>, ctx: RunContext): MendMeshResult {
  const o = { ...MEND_MESH_DEFAULTS, ...options };
  if (triangleCount(mesh) === 0) throw new GeometryError('empty-input', 'The mesh has no triangles to mend.');
  let current = mesh;
  const sum = {
    removedPieces: 0,
    repairedTriangles: 0,
    filledHoles: 0,
    leftOpen: 0,
    islandsJoined: 0,
    meant: 0,
    wouldCross: 0,
    inventedArea: 0,
  };
  let crossingsFound = 0;
  let sound = false;
  let crossing: ArrayLike<number> | undefined;
  for (let round = 0; ; round++) {
    const part = ctx.part(round === 0 ? 0 : 0.7 + 0.07 * (round - 1), round === 0 ? 0.7 : 0.7 + 0.07 * round);
    // Triangles that cross or stand in the way are known by their numbers: a sound mesh keeps them.
    const repaired = sound ? { mesh: current, degenerate: 0, nonManifold: 0 } : makeManifold(current);
    sum.repairedTriangles += repaired.degenerate + repaired.nonManifold;
    const evened =
      round === 0 && o.evenRounds > 0 ? makeManifold(evenRims(repaired.mesh, o.evenRounds)).mesh : repaired.mesh;
    part.checkpoint(0.1);
    if (!sound || !crossing) crossing = findCrossings(evened);
    if (round === 0) crossingsFound = crossing.length / 2;
    const rings = CROSSING_RINGS[Math.min(round, CROSSING_RINGS.length - 1)];
    const cleared = clearCrossings(evened, crossing, rings);
    sum.repairedTriangles += cleared.removedTriangles;
    const clear = cleared.removedTriangles > 0 ? makeManifold(cleared.mesh).mesh : cleared.mesh;
    part.checkpoint(0.2);
    const whole = removeFragments(clear, o.fragmentRatio, islandVertices(clear));
    const filled = fillHoles(whole.mesh, { ...o, skins: round >= FIRST_SKINS }, part.part(0.2, 1));
    // An island that no filling went on to is a loose piece like others.
    const left = removeFragments(filled.mesh, o.fragmentRatio);
    sum.removedPieces += whole.removedPieces + left.removedPieces;
    sum.filledHoles += filled.filled;
    sum.islandsJoined += filled.islandsJoined;
    sum.leftOpen = left.removedPieces > 0 ? listHoles(left.mesh).length : filled.leftOpen;
    sum.meant = filled.meant;
    sum.wouldCross = filled.wouldCross;
    sum.inventedArea += filled.inventedArea;
    current = left.mesh;
    const report = inspectTopology(current);
    sound = report.nonManifoldEdges + report.nonManifoldVertices === 0;
    const again = !sound || filled.wouldCross > 0 || (!report.watertight && sum.leftOpen === 0);
    const last = round === MOST_ROUNDS || (filled.wouldCross > 0 && filled.inTheWay.length === 0);
    const open = again && !last;
    // Triangles are known by their numbers as long as none has gone.
    if (open) crossing = left.removedPieces > 0 ? undefined : filled.inTheWay;
    else crossing = findCrossings(current);
    if (crossing && (last || (!again && crossing.length === 0))) {
      ctx.checkpoint(1);
      return { mesh: current, ...sum, crossingsFound, crossingsLeft: crossing.length / 2, report };
    }
  }
}
