import { boundsOf, diagonalOf } from '../geometry/point-cloud.js';
import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { invertRigid, transformPoint, type Mat4, type Vec3 } from '../math/mat4.js';
import { GeometryError } from '../runtime/geometry-error.js';
import { SurfaceGap, emptyGap } from '../spatial/surface-gap.js';
import { deepestPlace, type Deepest } from './deepest-place.js';
import type { Clash, Clearance, FoundPlacing } from './placing.js';
import { sharedVolume } from './shared-volume.js';
import { Solid } from './solid.js';

/** How thoroughly a clash is looked at. */
export interface Thoroughness {
  /** Depths are found to this, mm. */
  precision: number;
  /** Places asked at most for a depth, and for a volume; 0: no volume. */
  depthPlaces: number;
  volumePlaces: number;
}

/** For the record; and while something is being moved. */
export const THOROUGH: Thoroughness = { precision: 0.01, depthPlaces: 60_000, volumePlaces: 150_000 };
export const QUICK: Thoroughness = { precision: 0.1, depthPlaces: 500, volumePlaces: 0 };

/** Nearer than this is touching: no scanner tells the two apart, mm. */
const TOUCHING = 0.005;
/** What goes through an open surface counts as within it so far behind, as a share of the piece's diagonal. */
const BEHIND = 0.25;

/** A piece and its surroundings, ready to be asked about one placing after another. Millimetres. */
export class PlacingGround {
  readonly piece: Solid;
  readonly scene: Solid;
  /** What lies further behind the surroundings' surface is not counted as within them, mm. */
  readonly behind: number;
  /** The piece's middle in its own frame, and half its diagonal. */
  readonly middle: Vec3;
  readonly radius: number;
  private readonly gap: SurfaceGap;

  /** O(m log m). @throws GeometryError `empty-input` without triangles */
  constructor(piece: TriangleMesh, scene: TriangleMesh) {
    if (piece.indices.length === 0 || scene.indices.length === 0)
      throw new GeometryError('empty-input', 'Both the piece and its surroundings must have a surface.');
    this.piece = new Solid(piece);
    this.scene = new Solid(scene);
    this.gap = new SurfaceGap(this.piece.bvh, this.scene.bvh);
    const bounds = boundsOf(piece.positions);
    this.middle = [0, 1, 2].map((k) => (bounds.min[k] + bounds.max[k]) / 2) as Vec3;
    this.radius = diagonalOf(bounds) / 2;
    this.behind = this.scene.closed ? Infinity : 2 * BEHIND * this.radius;
  }

  /** Where the two come nearest. */
  clearance(sceneFromPiece: Mat4): Clearance {
    const out = emptyGap();
    const [onPiece, onScene] = this.gap.between(sceneFromPiece, 1e6, out) ?? [0, 0];
    const errors = [knownAt(this.piece.mesh, onPiece), knownAt(this.scene.mesh, onScene)];
    const uncertainty = Math.hypot(errors[0].error, errors[1].error);
    return {
      distance: Math.sqrt(out.squared),
      onPiece: [out.on[0], out.on[1], out.on[2]],
      onScene: [out.off[0], out.off[1], out.off[2]],
      ...(uncertainty >= 0 ? { uncertainty } : {}),
      invented: errors.some((e) => e.invented),
    };
  }

  /** Everything about a placing. */
  look(sceneFromPiece: Mat4, thoroughness: Thoroughness): FoundPlacing {
    const clearance = this.clearance(sceneFromPiece);
    const pieceFromScene = invertRigid(sceneFromPiece);
    if (clearance.distance > TOUCHING) {
      // Nothing meets, but one may lie within the other: told at the place where they are nearest.
      const within = -this.scene.signed(...clearance.onPiece);
      const around = -this.piece.signed(...transformPoint(pieceFromScene, ...clearance.onScene));
      if (within > 0 && !this.scene.closed) return { state: 'unseen', clearance };
      if (within <= 0 && !(this.piece.closed && around > 0)) return { state: 'clear', clearance };
    }
    const clash = this.clash(sceneFromPiece, pieceFromScene, thoroughness);
    return clash && clash.depth > TOUCHING
      ? { state: 'clash', clearance, clash }
      : { state: 'touching', clearance: { ...clearance, distance: Math.min(clearance.distance, TOUCHING) } };
  }

  /**
   * How deep each vertex of the piece lies within its surroundings, mm; 0 for what lies outside. O(n log m)
   * @param clash what was found there: nothing lies deeper, so nothing is looked for further off
   */
  depths(sceneFromPiece: Mat4, { depth, within }: Clash): Float32Array {
    const { positions: p } = this.piece.mesh;
    const out = new Float32Array(p.length / 3);
    const most = (depth + within) * (1 + 1e-6) + TOUCHING;
    for (let v = 0; v < out.length; v++) {
      const place = transformPoint(sceneFromPiece, p[3 * v], p[3 * v + 1], p[3 * v + 2]);
      const d = -this.scene.signed(...place, most);
      if (d > 0 && d <= this.behind) out[v] = d;
    }
    return out;
  }

  private clash(sceneFromPiece: Mat4, pieceFromScene: Mat4, how: Thoroughness): Clash | undefined {
    const { piece, scene, behind } = this;
    const asked = { precision: how.precision, most: how.depthPlaces };
    const inScene = deepestPlace(piece, scene, sceneFromPiece, { ...asked, behind });
    const inPiece = piece.closed
      ? deepestPlace(scene, piece, pieceFromScene, { ...asked, behind: Infinity })
      : undefined;
    const moved: Deepest | undefined = inPiece && { ...inPiece, at: transformPoint(sceneFromPiece, ...inPiece.at) };
    const deepest = !moved || (inScene && inScene.depth >= moved.depth) ? inScene : moved;
    if (!deepest) return undefined;
    const volume =
      piece.closed && how.volumePlaces > 0
        ? sharedVolume(piece, scene, pieceFromScene, behind, this.boxOf(sceneFromPiece), how.volumePlaces)
        : undefined;
    return { ...deepest, ...(volume === undefined ? {} : { volume }) };
  }

  /** What both can have in common: the box round the moved piece, as far as the surroundings reach. */
  private boxOf(m: Mat4): number[] {
    const { positions: p } = this.piece.mesh;
    const { min, max } = boundsOf(this.scene.mesh.positions);
    const low = [Infinity, Infinity, Infinity];
    const high = [-Infinity, -Infinity, -Infinity];
    for (let v = 0; v < p.length; v += 3)
      for (let k = 0; k < 3; k++) {
        const c = m[k] * p[v] + m[4 + k] * p[v + 1] + m[8 + k] * p[v + 2] + m[12 + k];
        if (c < low[k]) low[k] = c;
        if (c > high[k]) high[k] = c;
      }
    const past = Number.isFinite(this.behind) ? this.behind : 0;
    return [...low.map((c, k) => Math.max(c, min[k] - past)), ...high.map((c, k) => Math.min(c, max[k] + past))];
  }
}

/** What a surface knows at a triangle: the worst of its corners. */
function knownAt({ indices, expectedError, invented }: TriangleMesh, t: number): { error: number; invented: boolean } {
  const corners = indices.subarray(3 * t, 3 * t + 3);
  return {
    error: expectedError ? Math.max(...Array.from(corners, (v) => expectedError[v])) : NaN,
    invented: invented !== undefined && corners.some((v) => invented[v] > 0),
  };
}
