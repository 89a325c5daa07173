import { triangleCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { GeometryError } from '../runtime/geometry-error.js';
import type { RunContext } from '../runtime/run-context.js';
import { fillHoles, FILL_HOLES_DEFAULTS, type FillHolesOptions } from './fill-holes.js';
import { evenRims, makeManifold, removeFragments } from '../mesh/repair.js';
import { inspectTopology, type TopologyReport } from '../mesh/topology.js';

export interface MendMeshOptions extends FillHolesOptions {
  /** Loose pieces with less than this share of the largest piece's triangles are dropped (0–1; 1 = keep one piece). */
  fragmentRatio: number;
  /** Rounds of evening ragged rims before filling. */
  evenRounds: number;
}

export const MEND_MESH_DEFAULTS: MendMeshOptions = { ...FILL_HOLES_DEFAULTS, fragmentRatio: 0.05, evenRounds: 0 };

export interface MendMeshResult {
  mesh: TriangleMesh;
  removedPieces: number;
  repairedTriangles: number;
  filledHoles: number;
  leftOpen: number;
  inventedArea: number;
  report: TopologyReport;
}

/**
 * Repairs a fused mesh in the order that works: faults, loose pieces, ragged rims, holes; then once more if a filled
 * hole brought up a fault. The verdict is in `report`.
 * @throws GeometryError `empty-input` if the mesh has no triangles
 */
export function mendMesh(mesh: TriangleMesh, options: Partial<MendMeshOptions>, ctx: RunContext): MendMeshResult {
  const o = { ...MEND_MESH_DEFAULTS, ...options };
  if (triangleCount(mesh) === 0) throw new GeometryError('empty-input', 'The mesh has no triangles to mend.');
  let current = mesh;
  const sum = { removedPieces: 0, repairedTriangles: 0, filledHoles: 0, leftOpen: 0, inventedArea: 0 };
  let report: TopologyReport | undefined;
  for (let round = 0; round < 4; round++) {
    const part = ctx.part(round === 0 ? 0 : 0.8, round === 0 ? 0.8 : 0.98);
    const repaired = makeManifold(current);
    sum.repairedTriangles += repaired.degenerate + repaired.nonManifold;
    const evened = round === 0 ? makeManifold(evenRims(repaired.mesh, o.evenRounds)).mesh : repaired.mesh;
    part.checkpoint(0.2);
    const whole = removeFragments(evened, o.fragmentRatio);
    sum.removedPieces += whole.removedPieces;
    const filled = fillHoles(whole.mesh, o, part.part(0.2, 1));
    sum.filledHoles += filled.filled;
    sum.leftOpen = filled.leftOpen;
    sum.inventedArea += filled.inventedArea;
    current = filled.mesh;
    report = inspectTopology(current);
    if (report.nonManifoldEdges === 0 && report.nonManifoldVertices === 0 && (report.watertight || filled.leftOpen > 0))
      break;
  }
  ctx.checkpoint(1);
  return { mesh: current, ...sum, report: report! };
}
